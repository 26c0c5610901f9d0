import type { Basin, ScaleKind, Spot } from '$core/chart';
import { nameInSentence, type Disk, type Partition } from '$core/disk';
import { chooseHighlights, inOrder, others, type Preference, type Reason, type Route } from '$core/planning';
import { formatSize } from '$core/units';

/** A basin of the chart that was chosen, with its place there. */
export interface Selected {
  spot: Spot;
  basin: Basin;
}

/** Which of the found routes are listed, in which order, and which of them is shown, beside which other. */
export class RouteChoice {
  prefer = $state<Preference>('usual');
  /** Id of the kit whose routes are listed; empty: of all. */
  kit = $state('');
  view = $state<'chart' | 'compare'>('chart');
  scale = $state<ScaleKind>('legible');
  selected = $state.raw<Selected | null>(null);
  private wanted = $state<number | null>(null);
  private other = $state<number | null>(null);

  /** @param chosen place of the route that is chosen for the job, which is shown first */
  constructor(
    private readonly found: () => readonly Route[],
    prefer: Preference,
    chosen: number | null,
  ) {
    this.prefer = prefer;
    this.wanted = chosen;
  }

  readonly routes: readonly Route[] = $derived.by(() => this.found());
  readonly kits = $derived.by(() =>
    this.routes.map(({ kit }) => kit).filter((kit, i, all) => all.indexOf(kit) === i),
  );
  readonly order: number[] = $derived.by(() =>
    inOrder(this.routes, this.prefer).filter(
      (index) => this.kit === '' || this.routes[index]!.kit === this.kit,
    ),
  );
  /** The few to look at first, and the others in their order. */
  readonly few = $derived.by(() => chooseHighlights(this.routes, this.order, this.prefer));
  readonly rest = $derived.by(() => others(this.routes, this.order, this.few));

  /** Place of the route that is shown: the wanted one, whatever is listed. */
  readonly shown: number = $derived.by(() =>
    this.wanted !== null && this.routes[this.wanted] ? this.wanted : (this.few[0]?.index ?? 0),
  );
  readonly route: Route = $derived.by(() => this.routes[this.shown]!);
  /** Place of the route that is shown beside it, if any. */
  readonly beside: number | null = $derived.by(() =>
    this.other !== this.shown && this.other !== null && this.routes[this.other] ? this.other : null,
  );
  readonly second: Route | null = $derived.by(() =>
    this.beside === null ? null : this.routes[this.beside]!,
  );

  show(index: number): void {
    this.wanted = index;
    this.selected = null;
  }

  /** Puts a route beside the one that is shown, or takes it away again. */
  toggleBeside(index: number): void {
    this.other = this.other === index ? null : index;
    this.view = 'chart';
  }

  private highlighted(code: Reason): Route | undefined {
    const one = this.few.find(({ reasons }) => reasons.some((reason) => reason.code === code));
    return one && this.routes[one.index];
  }

  /** What a technician without a mover has, against the first way. */
  readonly windowsAlone: string = $derived.by(() => {
    const alone = this.highlighted('windows-alone');
    const best = this.highlighted('best');
    if (!alone) return 'Windows alone has no way to this size.';
    if (!best || alone === best) return 'Windows alone does it.';
    const more = alone.totals.bytesCopied - best.totals.bytesCopied;
    const steps = alone.totals.steps - best.totals.steps;
    const copies =
      more === 0 ? 'copies as much' : `copies ${formatSize(Math.abs(more))} ${more < 0 ? 'less' : 'more'}`;
    const takes =
      steps === 0
        ? 'as many steps'
        : `${Math.abs(steps)} ${steps < 0 ? 'fewer' : 'more'} ${Math.abs(steps) === 1 ? 'step' : 'steps'}`;
    return `Windows alone ${copies}, in ${takes}.`;
  });
}

/** Where the room of a route comes from, and what becomes of the recovery partition. */
export function summarizeRoute(disk: Disk, target: Partition, route: Route): string {
  const donors = disk.partitions.filter(
    (partition) =>
      partition !== target &&
      route.steps.some(
        ({ verb, partition: number }) =>
          number === partition.number && (verb === 'shrink' || verb === 'delete'),
      ),
  );
  const from =
    donors.length > 0
      ? `Room comes from ${donors.map(nameInSentence).join(' and ')}.`
      : 'Room comes from unallocated space.';
  if (!disk.partitions.some((partition) => partition.role === 'recovery')) return from;
  const name = nameInSentence(target);
  return route.keepsRecoveryBehind
    ? `${from} Recovery stays behind ${name}.`
    : `${from} Recovery no longer stands behind ${name}: a later update can't take room from there.`;
}

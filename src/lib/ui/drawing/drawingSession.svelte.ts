import { call } from '$contract/client';
import { bytesOf, nameInSentence } from '$core/disk';
import { planWayBack, type Drawing } from '$core/drawing';
import { taskOf, type GoalOptions, type Route, type RoutesRequest, type Workshop } from '$core/planning';
import type { Outcome } from '$core/problem';
import { machineOf, type SurveyDocument } from '$core/survey';
import { findPartitionNow } from '$core/steps';
import { formatSize } from '$core/units';
import { listKits } from '$ui/workshop';
import { DragController } from './dragController.svelte';
import { DrawingStore, type Kept } from './drawingStore.svelte';

/** What the drawing screen is given: the job as far as it knows of it, and the drawing as it is kept. */
export interface DrawingData {
  job: {
    number: number;
    customer: string;
    version: number;
    survey: { document: SurveyDocument } | null;
    goal: {
      disk: number;
      partition: number;
      size: number;
      keepFreePercent: number;
      options: GoalOptions;
    } | null;
    answer: { routes: readonly Route[] } | null;
  };
  workshop: Workshop;
  drawing: Kept;
  /** A newer survey came since; `document` is then the one that it was drawn on. */
  stale: boolean;
  document: SurveyDocument | null;
}

/** Lets the planner bring a drawing to the goal from behind its first `upTo` steps; null where it was stopped. */
export type Finisher = (
  request: RoutesRequest,
  drawing: Drawing,
  upTo: number,
  onprogress: (share: number) => void,
  signal: AbortSignal,
) => Promise<Outcome<Drawing> | null>;

/** What a session does outside itself. */
export interface DrawingPorts {
  finisher: Finisher;
  /** Goes to another page of the application, with all its data anew. */
  go: (address: string) => Promise<void>;
  /** Runs what is offered for the chosen partition; false where nothing of that name is. */
  offer: (id: string) => boolean;
}

/** Keys that stand for something offered; of several the first that is there. */
const OFFER_KEYS: Readonly<Record<string, readonly string[]>> = {
  f: ['fill'],
  k: ['least'],
  n: ['create'],
  d: ['delete'],
  a: ['set-aside', 'put-back'],
  y: ['decrypt'],
  c: ['out', 'into', 'back'],
  t: ['relocate'],
};

/** Work on one drawing: all that its screen does beside dragging, without its elements. */
export class DrawingSession {
  readonly store: DrawingStore;
  readonly drag: DragController;
  keysShown = $state(false);
  finishing = $state.raw<{ share: number; stop: AbortController } | null>(null);
  /** What the last thing done came to, where it has something to say. */
  said = $state('');

  /** @throws Error where the job has no goal: the page redirects before */
  constructor(
    private readonly data: () => DrawingData,
    private readonly ports: DrawingPorts,
  ) {
    const { job, drawing } = data();
    const address = { number: job.number, id: drawing.id };
    this.store = new DrawingStore(address, (kit) => this.taskOfKit(kit), drawing);
    this.drag = new DragController(this.store);
  }

  get job(): DrawingData['job'] {
    return this.data().job;
  }

  private get request(): RoutesRequest {
    const { job, workshop, document } = this.data();
    const goal = job.goal!;
    return {
      ...goal.options,
      survey: document ?? job.survey!.document,
      disk: goal.disk,
      goal: { partition: goal.partition, size: goal.size },
      keepFree: { percent: goal.keepFreePercent },
      workshop,
    };
  }

  private readonly tasks: Record<string, ReturnType<DrawingSession['makeTask']>> = {};
  private readonly taskOfKit = (kit: string) => (this.tasks[kit] ??= this.makeTask(kit));

  private makeTask(kit: string) {
    const { request } = this;
    // A kit that was deleted since the drawing was kept leaves what every kit has.
    const known = listKits(this.data().workshop).some((one) => one.id === kit) ? kit : 'windows-only';
    const asked = taskOf(machineOf(request.survey), { ...request, kits: [known], gives: {} });
    if (!asked.ok) throw new Error(asked.problems[0]?.message);
    return { task: asked.value, kit: asked.value.kits[0]! };
  }

  /** Results of the drawing, the disk as found among them. */
  readonly strips = $derived.by(() => this.store.settled.steps.length + 1);
  /** An earlier result than the last is chosen. */
  readonly isAmid = $derived.by(() => this.drag.chosen !== null && this.drag.chosen.strip < this.strips - 1);
  /** The place in the list up to which the chosen result goes. */
  readonly upTo = $derived.by(() => {
    const { chosen } = this.drag;
    if (!chosen) return this.store.drawing.steps.length;
    return this.drag.placeOf(Math.min(chosen.strip, this.strips - 1));
  });

  /** How large the target is after the drawing, of what is asked for. */
  readonly standing = $derived.by(() => {
    const { followed, at } = this.store;
    const { disk, target } = at.task;
    const end = followed.results.at(-1)?.after ?? followed.start;
    const now = findPartitionNow(end, target.number);
    const size = formatSize(now ? bytesOf(disk, now) : 0);
    const reached = followed.reached ? ', the goal is reached' : '';
    return `${nameInSentence(target)} ${size} of ${formatSize(this.job.goal!.size)}${reached}`;
  });

  async finish(): Promise<void> {
    if (this.finishing) return;
    this.said = '';
    const stop = new AbortController();
    this.finishing = { share: 0, stop };
    const outcome = await this.ports.finisher(
      this.request,
      this.store.drawing,
      this.upTo,
      (share) => (this.finishing = { share, stop }),
      stop.signal,
    );
    this.finishing = null;
    if (!outcome) this.said = 'Stopped. The drawing is as it was.';
    else if (outcome.ok) this.store.put(outcome.value);
    else this.said = outcome.problems[0]?.message ?? 'The planner found no way.';
  }

  goBack(): void {
    const { task, kit } = this.store.at;
    const back = planWayBack(task, kit, this.store.drawing, this.upTo);
    this.store.put(back.drawing);
    const ways = back.steps === 1 ? '1 step leads' : `${back.steps} steps lead`;
    this.said = [`${ways} back to the layout as found.`, ...back.lost].join(' ');
  }

  /** Does what a key means anywhere on the screen; false where it means nothing. */
  press(key: string, shift: boolean): boolean {
    if (key === '?') this.keysShown = true;
    else if (key === 'U' || (key === 'u' && shift)) this.store.redo();
    else if (key === 'u') this.store.undo();
    else if (key === 'g') void this.finish();
    else if (key === 'b') this.goBack();
    else return false;
    return true;
  }

  /** The same, and the keys of what is offered for the partition that is chosen on the board. */
  pressOnBoard(key: string, shift: boolean): boolean {
    return this.press(key, shift) || (OFFER_KEYS[key]?.some((id) => this.ports.offer(id)) ?? false);
  }

  async takeTheirs(): Promise<void> {
    const { id } = this.data().drawing;
    const reply = await call('GET /jobs/{number}/drawings/{id}', { number: this.job.number, id });
    if (reply.ok) this.store.take(reply.value);
  }

  async copy(): Promise<void> {
    const { number } = this.job;
    const body = {
      name: `${this.store.name} (copy)`.slice(0, 200),
      states: this.store.states,
      position: this.store.history.past.length,
    };
    const made = await call('POST /jobs/{number}/drawings', { number, body });
    if (made.ok) await this.ports.go(`/jobs/${number}/drawing/${made.value.id}`);
    else this.said = made.refusal.detail;
  }

  async makeSheet(): Promise<void> {
    const { number, version } = this.job;
    const body = { version, drawing: this.data().drawing.id };
    const made = await call('POST /jobs/{number}/sheets', { number, body });
    if (made.ok) await this.ports.go(`/jobs/${number}/sheet`);
    else this.said = made.refusal.detail;
  }
}

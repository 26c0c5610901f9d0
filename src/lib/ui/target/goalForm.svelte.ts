import { call, type Refusal } from '$contract/client';
import { KEEP_FREE_PERCENT } from '../words';
import {
  bytesOf,
  endOf,
  nameInSentence,
  unallocated,
  isWorthShowing,
  type Disk,
  type Extent,
  type Partition,
} from '$core/disk';
import type { Finding } from '$core/finding';
import {
  makeBlocks,
  findLargestSizes,
  planRoutes,
  taskOf,
  type GoalOptions,
  type RoutesAnswer,
  type RoutesRequest,
  type Workshop,
} from '$core/planning';
import { listProposals, USUAL_YEARS, type DatedFilling, type Proposals } from '$core/forecast';
import {
  choiceOf,
  isAt,
  sumOf as sumOfChoice,
  type Choice,
  type CleanupReport,
  type ChoiceSum,
} from '$core/holdings';
import type { Allows } from '$core/otherWays';
import type { Outcome } from '$core/problem';
import { canCopy, isEncrypted, spareOf } from '$core/tools';
import type { SurveyDocument } from '$core/survey';
import { formatExactly, MIB, readGoal, roundUp } from '$core/units';
import { jobDisk } from '$ui/jobDisk';
import { listKits } from '$ui/workshop';

/** What the form is given: the job as far as it knows of it. */
export interface GoalData {
  job: {
    number: number;
    version: number;
    survey: { document: SurveyDocument } | null;
    target: { disk: number; partition: number } | null;
    goal: { size: number; keepFreePercent: number; options: GoalOptions; stale: boolean } | null;
    holdings: { found: CleanupReport[]; choices: Choice[] } | null;
  };
  workshop: Workshop;
  /** How full the disk's volumes were at every survey of this machine. */
  fillings: readonly { partition: number; takenAt: string; used: number }[];
}

/** What the form does outside itself. */
export interface GoalPorts {
  /** Looks for routes; null where it was stopped. */
  plan: (
    request: RoutesRequest,
    onprogress: (share: number) => void,
    signal: AbortSignal,
  ) => Promise<Outcome<RoutesAnswer> | null>;
  /** Shows what was saved: the routes, or what stands in the way. */
  show: (reached: boolean) => Promise<void>;
}

/** What is typed into one of two fields; the other follows. */
export interface Typed {
  field: 'total' | 'added';
  text: string;
}

/** A share as it is typed, 0 to 95 percent; NaN where it is none. */
function readPercent(text: string): number {
  const figure = text.replace(',', '.').replace('%', '').trim();
  const percent = figure === '' ? NaN : Number(figure);
  return percent >= 0 && percent <= 95 ? percent : NaN;
}

/**
 * How much the target is to get, with what and at whose cost: all that the Target screen works out, without its
 * elements.
 */
export class GoalForm {
  options = $state.raw<GoalOptions>({});
  keepText = $state('');
  wantedText = $state('20');
  typed = $state.raw<Typed>({ field: 'total', text: '' });
  /** How far the search is, 0 to 1; null while nothing is looked for. */
  planning = $state<number | null>(null);
  stopped = $state(false);
  refusal = $state.raw<Refusal | null>(null);
  private cancel: AbortController | null = null;
  /** What was asked last, and whether it can be had: where the job was changed elsewhere, it is not saved yet. */
  private asked: {
    size: number;
    keepFreePercent: number;
    options: GoalOptions;
  } | null = null;
  private reached = true;

  constructor(
    private readonly data: () => GoalData,
    private readonly ports: GoalPorts,
  ) {
    const { goal } = data().job;
    this.options = goal?.options ?? {};
    this.keepText = String(goal?.keepFreePercent ?? KEEP_FREE_PERCENT);
    if (goal && !goal.stale) this.take(goal.size);
  }

  /** Data volumes of the disk that could be joined to the target: those whose files can be copied one by one. */
  readonly joinable = $derived.by(() => {
    const { disk, target } = this.here;
    return disk.partitions.filter(
      (one) =>
        one !== target &&
        one.role === 'data' &&
        one.volume?.used != null &&
        canCopy(one, { decrypted: isEncrypted(one) }),
    );
  });

  /** Allows more than was allowed so far. @returns whether that is anything */
  allow({ mayJoin = [], ...others }: Allows): boolean {
    const before = this.options;
    const sofar = before.mayJoin ?? [];
    const joined = [...sofar, ...mayJoin.filter((number) => !sofar.includes(number))];
    this.options = { ...before, ...others, ...(joined.length > 0 ? { mayJoin: joined } : {}) };
    return mayJoin.length > 0 || others.mayConvert === true || others.mayConvertTable === true;
  }

  readonly here = $derived.by(() => jobDisk(this.data().job));
  readonly name = $derived.by(() => nameInSentence(this.here.target));
  readonly now = $derived.by(() => bytesOf(this.here.disk, this.here.target));
  /** Bytes in use, as surveyed. */
  readonly usedNow = $derived.by(() => this.here.target.volume?.used ?? null);
  /** What goes from the target first, or moves, and what stays. null: that is not known. */
  readonly first: ChoiceSum | null = $derived.by(() => this.firstOf(this.here.target.number));
  /** Bytes in use once that is done. */
  readonly used = $derived.by(() => (this.usedNow === null ? null : (this.first?.stays ?? this.usedNow)));

  readonly keep = $derived.by(() => readPercent(this.keepText));
  readonly keepGood = $derived.by(() => !Number.isNaN(this.keep));
  private readonly keepFree = $derived.by(() => ({ percent: this.keepGood ? this.keep : 0, bytes: 0 }));

  readonly allKits = $derived.by(() => listKits(this.data().workshop));
  readonly kits: string[] = $derived.by(() => this.options.kits ?? this.allKits.map(({ id }) => id));
  /** All that is asked but for the size. */
  readonly request: Omit<RoutesRequest, 'goal'> = $derived.by(() => ({
    survey: this.data().job.survey!.document,
    disk: this.here.disk.number,
    keepFree: this.keepFree,
    workshop: this.data().workshop,
    ...this.options,
    kits: this.kits,
  }));

  private readonly wholeDisk = $derived.by(() => ({ partition: this.here.target.number, max: true }));
  /** The most in bytes for each kit; held amounts do not count for that. */
  readonly mostByKit: Record<string, number> = $derived.by(() => {
    const { machine, disk, target } = this.here;
    if (makeBlocks(machine, disk, target, { mayConvert: this.options.mayConvert ?? false }).length > 0)
      return {};
    const task = taskOf(machine, { ...this.request, gives: {}, goal: this.wholeDisk });
    if (!task.ok) throw new Error(task.problems[0]?.message);
    return findLargestSizes(task.value);
  });
  readonly most = $derived.by(() => Math.max(this.now, ...Object.values(this.mostByKit)));
  readonly least = $derived.by(() => Math.min(this.most, roundUp(this.now + 1, MIB)));
  /** Why there is nothing to be had; empty where there is something. */
  readonly nothing: readonly Finding[] = $derived.by(() => {
    if (this.most > this.now) return [];
    const outcome = planRoutes({ ...this.request, goal: this.wholeDisk }, { nodes: 1 });
    return outcome.ok ? outcome.value.findings : [];
  });

  private readonly reading = $derived.by(() => {
    const { field, text } = this.typed;
    const { now, used, least, most } = this;
    return text.trim() === '' ? null : readGoal(text, field, { now, used, least, most });
  });
  /** Bytes that what is typed comes to; null where it is no size. */
  readonly total = $derived.by(() => (this.reading?.ok ? this.reading.total : null));
  readonly message = $derived.by(() => (this.reading && !this.reading.ok ? this.reading.message : ''));
  readonly tooMuch = $derived.by(
    () => this.total !== null && this.total > this.most && !this.options.mayEnlargeDisk,
  );
  readonly canAsk = $derived.by(() => this.total !== null && this.keepGood);

  /** The size at which the wanted share is free; null where that can't be told. */
  readonly forWanted: number | null = $derived.by(() => {
    const wanted = readPercent(this.wantedText) / 100;
    return this.used !== null && wanted > 0 && wanted < 0.95 ? roundUp(this.used / (1 - wanted), MIB) : null;
  });

  readonly donors = $derived.by(() => {
    const { disk, target } = this.here;
    return disk.partitions
      .filter((partition) => partition.role === 'data' && partition !== target)
      .map((partition) => ({ partition, spare: spareOf(disk, partition, this.keepFree) }));
  });
  /** Bytes that belong to no partition, and of them those right behind the target. */
  readonly unallocated = $derived.by(() => {
    const { disk } = this.here;
    const gaps = unallocated(disk.usableRelocated, disk.partitions);
    return sumOf(
      disk,
      gaps.filter((gap) => isWorthShowing(disk, gap)),
    );
  });
  /** How long the target lasts, and which sizes would be enough; null where nothing is known of how it fills. */
  readonly proposals: Proposals | null = $derived.by(() => {
    const { disk, target } = this.here;
    const filling = (partition: Partition): DatedFilling => ({
      partition: partition.number,
      size: bytesOf(disk, partition),
      used:
        (this.firstOf(partition.number)?.stays ?? partition.volume?.used ?? 0) +
        this.arriving(partition.number),
      surveys: this.data()
        .fillings.filter((one) => one.partition === partition.number)
        .map(({ takenAt, used }) => ({ at: Date.parse(takenAt), value: used })),
      byAge: this.foundOf(partition.number)?.rate ?? null,
    });
    return this.used === null
      ? null
      : listProposals({
          now: Date.parse(this.data().job.survey!.document.takenAt),
          target: filling(target),
          donors: this.donors
            .filter(({ partition, spare }) => spare > 0 && partition.volume?.used != null)
            .map(({ partition, spare }) => ({
              ...filling(partition),
              least: bytesOf(disk, partition) - spare + this.arriving(partition.number),
            })),
          unallocated: this.unallocated,
          most: this.most,
          years: this.years,
        });
  });
  /** Years that a proposed size should be enough for. */
  readonly years = $derived.by(() => this.data().workshop.years ?? USUAL_YEARS);
  readonly inReach = $derived.by(() => {
    const { disk, target } = this.here;
    return sumOf(
      disk,
      unallocated(disk.usable, disk.partitions).filter((gap) => gap.first === endOf(target)),
    );
  });

  private foundOf(partition: number): CleanupReport | undefined {
    return this.data().job.holdings?.found.find((one) =>
      isAt(one, { disk: this.here.disk.number, partition }),
    );
  }

  private firstOf(partition: number): ChoiceSum | null {
    const found = this.foundOf(partition);
    return found ? sumOfChoice(found, choiceOf(this.data().job.holdings!.choices, found)) : null;
  }

  /** Bytes that move to a volume first. */
  private arriving(partition: number): number {
    const { found, choices } = this.data().job.holdings ?? { found: [], choices: [] };
    const here = { disk: this.here.disk.number, partition };
    const moves = found.flatMap((one) => sumOfChoice(one, choiceOf(choices, one)).moves);
    return moves.reduce((sum, { to, bytes }) => sum + (isAt(to, here) ? bytes : 0), 0);
  }

  /** Takes the size at which all last equally long, and where several give, what each of them does. */
  takeFair({ size, gives }: NonNullable<Proposals['fair']>): void {
    this.take(size);
    const several = Object.keys(gives).length > 1;
    this.options = { ...this.options, gives: several ? gives : {} };
  }

  take(size: number): void {
    this.typed = { field: 'total', text: formatExactly(size) };
  }

  /** Asks or does not ask a kit; one stays. */
  toggleKit(id: string): void {
    const next = this.kits.includes(id) ? this.kits.filter((one) => one !== id) : [...this.kits, id];
    if (next.length === 0) return;
    const kits = this.allKits.map((kit) => kit.id).filter((one) => next.includes(one));
    this.options = { ...this.options, kits };
  }

  stop(): void {
    this.cancel?.abort();
  }

  /** Looks for the routes, which can be followed and stopped here, and saves the goal; the server plans it itself. */
  async ask(): Promise<void> {
    const { total: size, kits, keep } = this;
    if (size === null || !this.keepGood) return;
    this.stopped = false;
    this.planning = 0;
    this.cancel = new AbortController();
    const options = { ...this.options, kits };
    const outcome = await this.ports.plan(
      { ...this.request, goal: { partition: this.here.target.number, size } },
      (share) => (this.planning = share),
      this.cancel.signal,
    );
    this.stopped = outcome === null;
    if (outcome) {
      this.reached = !outcome.ok || outcome.value.reached;
      this.asked = { size, keepFreePercent: keep, options };
      await this.save(this.data().job.version);
    }
    this.planning = null;
  }

  /** Saves what was asked; `version` is the one that it goes over. */
  async save(version: number): Promise<void> {
    const { asked } = this;
    if (!asked) return;
    const { number } = this.data().job;
    const reply = await call('PUT /jobs/{number}/goal', { number, body: { version, ...asked } });
    this.refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) await this.ports.show(this.reached);
  }
}

const sumOf = (disk: Disk, extents: readonly Extent[]): number =>
  extents.reduce((sum, extent) => sum + bytesOf(disk, extent), 0);

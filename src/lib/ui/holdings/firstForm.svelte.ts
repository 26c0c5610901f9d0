import { call, type Refusal } from '$contract/client';
import {
  choiceOf,
  isAt,
  sumOf,
  type Choice,
  type CleanupReport,
  type ChoiceSum,
  type VolumePlace,
} from '$core/holdings';

/** What the form is given: the job as far as it knows of it. */
export interface FirstData {
  number: number;
  version: number;
  holdings: { found: CleanupReport[]; choices: Choice[] } | null;
}

/** A share of free room at which a volume is not short of it, where nobody asked for another. */
export const WANTED_FREE = 0.2;

/** What goes first: ticked here, counted at once, and saved one after the other in the order in which it was ticked. */
export class FirstForm {
  /** What is ticked here and not saved yet. */
  private ahead = $state.raw<Choice[] | null>(null);
  refusal = $state.raw<Refusal | null>(null);
  private saving: Promise<void> = Promise.resolve();
  /** Changes that wait to be saved. */
  private waiting = 0;

  constructor(
    private readonly data: () => FirstData,
    /** Shows what was saved. */
    private readonly saved: () => Promise<void>,
  ) {}

  readonly found: readonly CleanupReport[] = $derived.by(() => this.data().holdings?.found ?? []);
  readonly choices: readonly Choice[] = $derived.by(() => this.ahead ?? this.data().holdings?.choices ?? []);

  choice(place: VolumePlace): Choice {
    return choiceOf(this.choices, place);
  }

  sum(place: VolumePlace): ChoiceSum | null {
    const found = this.found.find((one) => isAt(one, place));
    return found ? sumOf(found, this.choice(place)) : null;
  }

  /** Lets something go, or keeps it. */
  tick(place: VolumePlace, id: string): Promise<void> {
    const { goes } = this.choice(place);
    return this.change(place, {
      goes: goes.includes(id) ? goes.filter((one) => one !== id) : [...goes, id],
    });
  }

  /** Moves a folder to another volume, or nowhere. */
  move(place: VolumePlace, path: string, to: VolumePlace | null): Promise<void> {
    const others = this.choice(place).moves.filter((one) => one.path !== path);
    return this.change(place, { moves: to ? [...others, { path, to }] : others });
  }

  /** Saves what is ticked, over a version that somebody else saved. */
  overwrite(version: number): Promise<void> {
    return this.save(version);
  }

  private change(place: VolumePlace, more: Partial<Choice>): Promise<void> {
    const { disk, partition } = place;
    const rest = this.choices.filter((one) => !isAt(one, place));
    this.ahead = [...rest, { ...this.choice({ disk, partition }), ...more }];
    this.waiting++;
    this.saving = this.saving.then(async () => {
      // Of several that wait the last says it all.
      if (--this.waiting === 0) await this.save(this.data().version);
    });
    return this.saving;
  }

  private async save(version: number): Promise<void> {
    const choices = this.choices.filter(({ goes, moves }) => goes.length + moves.length > 0);
    const { number } = this.data();
    const reply = await call('PUT /jobs/{number}/choices', { number, body: { version, choices } });
    this.refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) await this.saved();
    // What was ticked meanwhile is saved next, with all that is ticked; a conflict is for the person to decide.
    if (this.waiting === 0 && this.refusal?.status !== 409) this.ahead = null;
  }
}

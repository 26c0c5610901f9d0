import { call } from '$contract/client';
import type { Kit } from '$core/tools';
import type { Task } from '$core/planning';
import { lint, applyEdit, follow, type Drawing, type Edit, type Followed, type Hint } from '$core/drawing';
import { record, redo, undo, type History } from '$core/history';

export interface Kept {
  id: number;
  name: string;
  position: number;
  edition: number;
  told: string[];
  states: Drawing[];
}

/** How far the drawing is saved. */
export type Saving = 'saved' | 'saving' | 'waiting' | 'conflict' | 'refused';

/**
 * A drawing that is worked on: the present state with all that can be taken back, saved as it grows. What is saved is
 * told apart from what is not by identity: states are never changed in place.
 */
export class DrawingStore {
  history = $state.raw<History<Drawing>>({ past: [], now: { kit: '', steps: [] }, future: [] });
  name = $state('');
  told = $state.raw<readonly string[]>([]);
  saving = $state<Saving>('saved');
  /** What the server said where it refused. */
  refusal = $state('');
  /** What is tried out while something is dragged or typed; null while nothing is. */
  trial = $state.raw<Drawing | null>(null);

  /** What the server has, in order, and which edition that is. */
  private onServer: readonly Drawing[] = [];
  private meta = '';
  private edition = 0;
  private running = false;

  constructor(
    private readonly address: { number: number; id: number },
    private readonly taskOf: (kit: string) => { task: Task; kit: Kit },
    kept: Kept,
  ) {
    this.take(kept);
  }

  /** Takes over what the server has. */
  take(kept: Kept): void {
    const { states, position } = kept;
    this.history = {
      past: states.slice(0, position),
      now: states[position]!,
      future: states.slice(position + 1),
    };
    this.name = kept.name;
    this.told = kept.told;
    this.onServer = states;
    this.edition = kept.edition;
    this.meta = this.metaNow();
    this.saving = 'saved';
    this.refusal = '';
  }

  readonly drawing = $derived(this.history.now);
  readonly shown = $derived(this.trial ?? this.drawing);
  readonly at = $derived.by(() => this.taskOf(this.drawing.kit));
  /** The drawing followed through, and the same with what is tried out. */
  readonly settled: Followed = $derived.by(() => follow(this.at.task, this.at.kit, this.drawing));
  readonly followed: Followed = $derived.by(() =>
    this.trial === null ? this.settled : follow(this.at.task, this.at.kit, this.trial, this.settled),
  );
  readonly hints: Hint[] = $derived.by(() =>
    lint(this.at.task, this.at.kit, this.drawing, this.settled).filter(
      (hint) => !this.told.includes(hint.key),
    ),
  );
  readonly canUndo = $derived(this.history.past.length > 0);
  readonly canRedo = $derived(this.history.future.length > 0);

  edit(edit: Edit): void {
    this.put(applyEdit(this.drawing, edit));
  }

  put(next: Drawing): void {
    this.trial = null;
    if (next === this.drawing) return;
    this.history = record(this.history, next);
    this.save();
  }

  undo(): void {
    this.history = undo(this.history);
    this.save();
  }

  redo(): void {
    this.history = redo(this.history);
    this.save();
  }

  rename(name: string): void {
    if (name.trim() === '') return;
    this.name = name.trim();
    this.save();
  }

  /** Not to be told again. */
  hush(key: string): void {
    this.told = [...this.told, key];
    this.save();
  }

  private metaNow = (): string => JSON.stringify([this.name, this.told, this.history.past.length]);

  /** All states, as the server keeps them. */
  get states(): Drawing[] {
    const { past, now, future } = this.history;
    return [...past, now, ...future];
  }

  /** Saves what the server does not have yet, one save after the other. */
  save(): void {
    if (this.running || this.saving === 'conflict') return;
    this.running = true;
    void this.saveAll().finally(() => (this.running = false));
  }

  private async saveAll(): Promise<void> {
    for (;;) {
      const { states } = this;
      const meta = this.metaNow();
      let keep = 0;
      while (keep < states.length && states[keep] === this.onServer[keep]) keep++;
      const same = keep === states.length && keep === this.onServer.length && meta === this.meta;
      if (same) {
        this.saving = 'saved';
        return;
      }
      this.saving = 'saving';
      const body = {
        edition: this.edition,
        keep,
        add: states.slice(keep),
        position: this.history.past.length,
        name: this.name,
        told: [...this.told],
      };
      const reply = await call('PUT /jobs/{number}/drawings/{id}', { ...this.address, body });
      if (!reply.ok) {
        const { status, detail } = reply.refusal;
        this.saving = status === 409 ? 'conflict' : status === 0 ? 'waiting' : 'refused';
        this.refusal = detail;
        return;
      }
      this.edition = reply.value.edition;
      this.onServer = states;
      this.meta = meta;
    }
  }
}

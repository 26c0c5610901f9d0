import { invalidateAll } from '$app/navigation';
import { navigating } from '$app/state';

/** Milliseconds within which several things that are done at once are looked at once. */
const TOGETHER = 120;

/**
 * Loads what is shown anew, a moment after it was asked for. Never while somebody is on the way to another screen:
 * SvelteKit would end that for it, and the screen they come to is new anyway.
 */
export class Refresh {
  private timer: ReturnType<typeof setTimeout> | undefined;

  soon(): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => (navigating.to ? this.soon() : void invalidateAll()), TOGETHER);
  }

  end(): void {
    clearTimeout(this.timer);
  }
}

/** The most files that are looked at for the largest, however many there are. */
const MOST = 20_000;

/** The largest of what it is given; never holds more than twice as many as it keeps. */
export class Largest<T extends { bytes: number }> {
  private found: T[] = [];

  take(one: T): void {
    this.found.push(one);
    if (this.found.length >= 2 * MOST) this.kept();
  }

  kept(): T[] {
    this.found.sort((a, b) => b.bytes - a.bytes);
    this.found.length = Math.min(MOST, this.found.length);
    return this.found;
  }
}

/**
 * The few blocks that were read last, by their key: a disk is read here and there, but mostly where it was read just
 * before.
 */
export class Recent<Key> {
  private readonly kept = new Map<Key, Uint8Array>();

  constructor(private readonly most: number) {}

  async of(key: Key, read: () => Promise<Uint8Array>): Promise<Uint8Array> {
    const known = this.kept.get(key);
    if (known) {
      this.kept.delete(key);
      this.kept.set(key, known);
      return known;
    }
    const bytes = await read();
    if (this.kept.size >= this.most) this.kept.delete(this.kept.keys().next().value!);
    this.kept.set(key, bytes);
    return bytes;
  }
}

/** Images that are being read by this server, and how often at once: nothing may write to them meanwhile. */
const read = new Map<string, number>();

export const isRead = (name: string): boolean => read.has(name);

/** Notes that an image is read, until what comes back is called. */
export function beginReading(name: string): () => void {
  read.set(name, (read.get(name) ?? 0) + 1);
  let over = false;
  return () => {
    if (over) return;
    over = true;
    const left = read.get(name)! - 1;
    if (left === 0) read.delete(name);
    else read.set(name, left);
  };
}

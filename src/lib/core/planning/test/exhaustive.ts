import { MIB } from '../../units';

/**
 * An independent search for tests: every order-keeping way on a disk measured in slots of 1 MiB, by uniform
 * cost over whole layouts. It shares no code with the planner; the costs are written out again from the
 * domain facts.
 */
export interface SmallPartition {
  /** Slots. */
  first: number;
  size: number;
  /** Bytes in use, and what a move copies. */
  used: number;
  moveBytes: number;
  /** Smallest size in slots; equal to size for what gives nothing. */
  least: number;
  cluster: number;
  movable: boolean;
}

export interface SmallDisk {
  /** First slot behind the usable area. */
  end: number;
  target: { first: number; size: number };
  /** Behind the target, in order. */
  behind: SmallPartition[];
}

/** Fewest bytes copied so that the target can have `goal` slots; null where no layout allows it. */
export function fewestBytes(disk: SmallDisk, goal: number): number | null {
  const start = disk.behind.map(({ first, size }) => [first, size] as const);
  const need = disk.target.first + goal;
  const best = new Map<string, number>([[JSON.stringify(start), 0]]);
  // The dearest first, so that the cheapest is popped from the end.
  const queue: { cost: number; state: (readonly [number, number])[] }[] = [{ cost: 0, state: start }];
  for (;;) {
    const next = queue.pop();
    if (!next) return null;
    const { cost, state } = next;
    if (best.get(JSON.stringify(state))! < cost) continue;
    if ((state[0]?.[0] ?? disk.end) >= need) return cost;
    for (const [i, [first, size]] of state.entries()) {
      const partition = disk.behind[i]!;
      const offer = (to: readonly [number, number], extra: number) => {
        const changed = state.map((place, at) => (at === i ? to : place));
        const key = JSON.stringify(changed);
        if ((best.get(key) ?? Infinity) <= cost + extra) return;
        best.set(key, cost + extra);
        let low = 0;
        for (let high = queue.length; low < high;) {
          const middle = (low + high) >> 1;
          if (queue[middle]!.cost > cost + extra) low = middle + 1;
          else high = middle;
        }
        queue.splice(low, 0, { cost: cost + extra, state: changed });
      };
      for (let smaller = partition.least; smaller < size; smaller++) {
        offer([first, smaller], beyond(partition, smaller) - beyond(partition, size));
      }
      if (!partition.movable) continue;
      const from = i === 0 ? disk.target.first + disk.target.size : state[i - 1]![0] + state[i - 1]![1];
      const to = (state[i + 1]?.[0] ?? disk.end) - size;
      for (let place = from; place <= to; place++)
        if (place !== first) offer([place, size], partition.moveBytes);
    }
  }
}

/** B(x) without a cluster map: ceil(used x (size - x) / size), rounded up to clusters. */
function beyond({ used, size, cluster }: SmallPartition, x: number): number {
  if (x >= size) return 0;
  const bytes = BigInt(size * MIB);
  const spread = (BigInt(used) * BigInt((size - x) * MIB) + bytes - 1n) / bytes;
  return Math.ceil(Number(spread) / cluster) * cluster;
}

import { GIB, MIB, roundUp } from './bytes';
import { formatSize } from './format';
import { parseSize } from './parse';

/** Context of a goal field; bytes. */
export interface GoalFrame {
  /** The target's present size. */
  now: number;
  /** Bytes of it that are in use, or null. */
  used: number | null;
  least: number;
  most: number;
}

export type GoalReading = { ok: true; total: number } | { ok: false; message: string };

/**
 * Reads a typed goal as a new total in bytes, a whole number of MiB or exactly the most that is possible.
 * A share means that much free space afterwards. `bare` says what a number without a sign means.
 */
export function readGoal(text: string, bare: 'total' | 'added', frame: GoalFrame): GoalReading {
  const reading = parseSize(text, bare);
  if (!reading.ok) return reading;
  const { entry } = reading;
  let total: number;
  if (entry.kind === 'share') {
    if (frame.used === null)
      return { ok: false, message: 'How full it is could not be read, so a share has no meaning here.' };
    if (entry.share >= 1) return { ok: false, message: 'Nothing can be 100 % free that holds data.' };
    total = frame.used / (1 - entry.share);
  } else {
    total = entry.kind === 'added' ? frame.now + entry.bytes : entry.bytes;
  }
  // The figure shown is rounded; whoever types the shown most or least means exactly that.
  const shown = (limit: number) => Math.abs(total - limit) < 0.05 * GIB;
  if (total > frame.most && shown(frame.most)) return { ok: true, total: frame.most };
  if (total < frame.least && total > frame.now && shown(frame.least)) return { ok: true, total: frame.least };
  if (total <= frame.now) {
    const wanted =
      entry.kind === 'share' ? 'That much is free already' : `It has ${formatSize(frame.now)} already`;
    return { ok: false, message: `${wanted}; ask for more than that. A target is never made smaller.` };
  }
  const snapped = roundUp(total, MIB);
  return { ok: true, total: snapped > frame.most && total <= frame.most ? frame.most : snapped };
}

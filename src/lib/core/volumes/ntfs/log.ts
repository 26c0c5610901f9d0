import { latin1, viewOf } from '../../bytes';
import { removeUpdateSequence } from './updateSequence';

/** Bits of a restart area: nobody uses the log; the volume was taken down cleanly. */
const NO_CLIENT = 0xffff;
const VOLUME_IS_CLEAN = 0x0002;
const PAGE = 4096;

/** State of a log: never used or reset, closed, or with changes that wait to be carried out or taken back. */
export type LogState = 'empty' | 'clean' | 'open';

/**
 * What the two restart pages at the beginning of `$LogFile` say; the newer whole one counts (domain facts 4: a clean
 * dirty flag does not mean a clean log).
 *
 * @param head at least the first 8 KiB of the log
 */
export function logState(head: Uint8Array): LogState {
  if (head.every((byte) => byte === 0xff)) return 'empty';
  const areas = [0, PAGE].flatMap((at) => restartArea(head.subarray(at, at + PAGE)) ?? []);
  const newest = areas.sort((a, b) => (a.lsn < b.lsn ? 1 : -1))[0];
  return newest?.closed ? 'clean' : 'open';
}

function restartArea(page: Uint8Array): { lsn: bigint; closed: boolean } | null {
  const magic = latin1(page.subarray(0, 4));
  if (magic !== 'RSTR' && magic !== 'CHKD') return null;
  const mended = removeUpdateSequence(page);
  if (!mended) return null;
  const view = viewOf(mended);
  const at = view.getUint16(0x18, true);
  if (at + 0x30 > page.length) return null;
  const closed =
    view.getUint16(at + 0x0c, true) === NO_CLIENT ||
    (view.getUint16(at + 0x0e, true) & VOLUME_IS_CLEAN) !== 0;
  return { lsn: view.getBigUint64(at, true), closed };
}

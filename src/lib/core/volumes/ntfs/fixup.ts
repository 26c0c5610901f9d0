import { viewOf } from '../../bytes';
const STRIDE = 512; // also on disks with 4,096-byte sectors (domain facts 4)

/**
 * Undoes the update sequence of a multi-sector structure (`FILE`, `INDX`, …): the last two bytes of each 512
 * were replaced by a number when it was written. Returns a mended copy, or null where a stride does not carry
 * the number (a torn write) or the array lies outside.
 */
export function undoFixup(structure: Uint8Array): Uint8Array | null {
  const view = viewOf(structure);
  const arrayAt = view.getUint16(4, true);
  const count = view.getUint16(6, true);
  const strides = structure.length / STRIDE;
  if (count !== strides + 1 || arrayAt + 2 * count > structure.length || arrayAt % 2 !== 0) return null;
  const mended = structure.slice();
  const out = new DataView(mended.buffer);
  const expected = view.getUint16(arrayAt, true);
  for (let stride = 1; stride <= strides; stride++) {
    const tail = stride * STRIDE - 2;
    if (view.getUint16(tail, true) !== expected) return null;
    out.setUint16(tail, view.getUint16(arrayAt + 2 * stride, true), true);
  }
  return mended;
}

import { viewOf } from '../../bytes';
const STRIDE = 512; // also on disks with 4,096-byte sectors (domain facts 4)

/**
 * Undoes the update sequence of a multi-sector structure (`FILE`, `INDX`, …): the last two bytes of each 512
 * were replaced by a number when it was written. Returns a mended copy, or null where a stride does not carry
 * the number (a torn write) or the array lies outside.
 */
export function removeUpdateSequence(structure: Uint8Array): Uint8Array | null {
  const mended = structure.slice();
  return mendInPlace(viewOf(mended)) ? mended : null;
}

/** The same where the structure stands, whole; false: it can't be, and is to be thrown away. */
export function mendInPlace(view: DataView): boolean {
  const arrayAt = view.getUint16(4, true);
  const strides = view.byteLength / STRIDE;
  if (view.getUint16(6, true) !== strides + 1) return false;
  if (arrayAt + 2 * (strides + 1) > view.byteLength || arrayAt % 2 !== 0) return false;
  const expected = view.getUint16(arrayAt, true);
  for (let stride = 1; stride <= strides; stride++) {
    const tail = stride * STRIDE - 2;
    if (view.getUint16(tail, true) !== expected) return false;
    view.setUint16(tail, view.getUint16(arrayAt + 2 * stride, true), true);
  }
  return true;
}

import type { Device } from './devices/device';
import { formatVolume } from './format/formatted';
import type { DiskChange, DiskPlace, Operation, WrittenPiece } from './plan';
import { writeTable } from './table/writeTable';
import { copyExtents, moveScattered, slideExtents, type ExecutionContext } from './transfer';

/** Bytes that a fill writes at once. */
const FILL = 4 * 2 ** 20;

/** Start of an operation, in the terms of a run's `at`. */
export const startOf = (operation: Operation): number =>
  operation.op === 'slide' && operation.toAt > operation.fromAt ? operation.length : 0;

/** Its end. */
export function endOf(operation: Operation): number {
  if (operation.op === 'slide') return operation.toAt > operation.fromAt ? 0 : operation.length;
  if (operation.op === 'scatter') return lengthOf(operation.moves);
  if (operation.op !== 'copy') return 0;
  const { extents } = operation;
  return extents.length === 0 ? 0 : extents.at(-2)! + extents.at(-1)!;
}

/** Bytes of an operation that have arrived when it is done up to `at`. */
export function countArrivedBytes(operation: Operation, at: number): number {
  if (operation.op === 'scatter') return at;
  if (operation.op !== 'copy' && operation.op !== 'slide') return 0;
  const right = operation.op === 'slide' && operation.toAt > operation.fromAt;
  let bytes = 0;
  for (let i = 0; i < operation.extents.length; i += 2) {
    const [offset, length] = [operation.extents[i]!, operation.extents[i + 1]!];
    const below = Math.max(0, Math.min(length, at - offset));
    bytes += right ? length - below : below;
  }
  return bytes;
}

function lengthOf(moves: readonly number[]): number {
  let sum = 0;
  for (let i = 2; i < moves.length; i += 3) sum += moves[i]!;
  return sum;
}

/** Carries an operation out from where it is. Whatever a cut left of it, this may be begun again. */
export async function executeOperation(
  context: ExecutionContext,
  operation: Operation,
  at: number,
): Promise<void> {
  const disk = await context.device('disk');
  switch (operation.op) {
    case 'change':
      return writeChanges(context, operation.on, operation.groups, 'after');
    case 'table':
      return writeTable(disk, operation.before, operation.after);
    case 'copy':
      return copyExtents(context, operation, at);
    case 'scatter':
      return moveScattered(context, operation, at);
    case 'slide':
      return slideExtents(context, disk, operation, at, false);
    case 'fill':
      return writeFilled(context, operation.on, operation);
    case 'lay':
      return writePieces(context, operation);
    case 'format':
      return operation.when === 'forward' ? writeVolume(context, disk, operation) : undefined;
    case 'resize':
      return disk.resize(operation.after);
  }
}

/** Takes an operation back from where it is. */
export async function undoOperation(
  context: ExecutionContext,
  operation: Operation,
  at: number,
): Promise<void> {
  const disk = await context.device('disk');
  switch (operation.op) {
    case 'change':
      return writeChanges(context, operation.on, operation.groups.toReversed(), 'before');
    case 'table':
      return writeTable(disk, operation.after, operation.before);
    case 'copy':
    case 'scatter':
    case 'lay':
      return; // What was there before is as it was, and nothing leads to what came.
    case 'slide':
      return slideExtents(context, disk, operation, at, true);
    case 'fill':
      return writeFilled(context, operation.on, operation);
    case 'format':
      return operation.when === 'back' ? writeVolume(context, disk, operation) : undefined;
    case 'resize':
      return disk.resize(operation.before);
  }
}

async function writeChanges(
  context: ExecutionContext,
  on: DiskPlace,
  groups: readonly DiskChange[][],
  to: 'before' | 'after',
): Promise<void> {
  const disk = await context.device(on);
  for (const group of groups) {
    await context.progress(0);
    for (const change of group) await disk.write(change.offset, change[to]);
    await disk.flush();
  }
}

async function writeFilled(
  context: ExecutionContext,
  on: DiskPlace,
  { offset, length, byte }: { offset: number; length: number; byte: number },
): Promise<void> {
  const disk = await context.device(on);
  if (byte === 0) return disk.zero(offset, length);
  const bytes = new Uint8Array(Math.min(FILL, length)).fill(byte);
  for (let at = 0; at < length; at += FILL) {
    await context.progress(0);
    await disk.write(offset + at, bytes.subarray(0, Math.min(FILL, length - at)));
  }
}

async function writeVolume(
  context: ExecutionContext,
  { sectorSize }: Device,
  { volume, first, sectors, seed }: Extract<Operation, { op: 'format' }>,
): Promise<void> {
  const pieces = await formatVolume(volume, { first, sectors }, sectorSize, seed);
  if (!pieces.ok) throw new Error(pieces.problems[0]!.message);
  return writePieces(context, { on: 'disk', laid: pieces.value });
}

async function writePieces(
  context: ExecutionContext,
  { on, laid }: { on: DiskPlace; laid: readonly WrittenPiece[] },
): Promise<void> {
  const disk = await context.device(on);
  for (const one of laid) {
    await context.progress(0);
    if ('bytes' in one) await disk.write(one.offset, one.bytes);
    else await writeFilled(context, on, one);
  }
}

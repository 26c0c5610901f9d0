import { slice } from '../../images/source';
import { lacks, NoRoom } from '../noRoom';
import { type Outcome, refusal, success } from '../../problem';
import { parseNtfsBoot, type NtfsBoot } from '../../volumes/ntfs/bootSector';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import { NtfsDamage, NtfsVolume } from '../../volumes/ntfs/volume';
import type { Device } from '../devices/device';
import { SectorEdits } from '../sectorEdits';
import type { Operation, Relocated } from '../plan';
import type { Resizing } from '../volumes/resizing';
import { RECORD, scanOwnership, type Beyond } from './ownershipScan';
import { cutOff } from './cutOff';
import { FreeSpace } from './freeSpace';
import { markDirty } from './markDirty';
import { moveBitmap, moveMft, moveMirror } from './ownStreams';
import { Batch, type InHand } from './relocation';
import { RecordEdit } from './records';
import { resetLog } from './resetLog';
import { findShadowCopyProblem } from './shadowCopies';
import { describeHolders } from './holders';
import type { Planned, PlannedOperation } from '../verbs/ground';

/** A batch ends with so many bytes of changed records, or bytes moved. */
const MAX_WEIGHT = 4 * 2 ** 20;
const MAX_BYTES = 2 ** 30;
/** Records of the file system itself that are relocated last, each in its own way. */
const LAST: readonly number[] = [RECORD.mft, RECORD.mirror, RECORD.bitmap];

/**
 * What makes an NTFS volume fit a smaller partition (domain facts 4): everything beyond the cut is relocated, in
 * batches each of which leaves a consistent volume, `$MFTMirr`, `$Bitmap` and the `$MFT` last; then the volume ends
 * earlier. The log is reset and the mark for a check set before.
 *
 * Problem codes: `no-room`, `scattered`, `damaged`, `shadow-copies`, `too-small`.
 */
export async function shrinkNtfs(shrinking: Resizing): Promise<Planned> {
  return guarded(shrinking, async () => {
    const { device, at, size, to } = shrinking;
    const boot = parseNtfsBoot(await device.read(at, device.sectorSize));
    if (!boot) throw new NtfsDamage('its boot sector holds impossible values');
    if (Math.min(boot.recordSize, boot.clusterSize) < device.sectorSize)
      throw new NtfsDamage('its sectors are smaller than those of its disk');
    const total = Math.floor(to / boot.bytesPerSector) - 1;
    if (total >= boot.totalSectors) return success({ operations: await shrinking.table() });
    const cut = Math.floor((total * boot.bytesPerSector) / boot.clusterSize);
    if (cut * boot.clusterSize < 2 ** 20)
      return refusal('too-small', `${shrinking.name} would have no room for its own tables.`);
    const source = slice(device, at, size);
    const shadows = await findShadowCopyProblem(source, cut * boot.clusterSize, shrinking.name);
    if (shadows) return { ok: false, problems: [shadows] };
    const volume = await NtfsVolume.open(source, boot);
    await standAlone(device, at, volume);
    const { used, beyond } = await scanOwnership(volume, cut, shrinking.told);
    const space = new FreeSpace(used.gaps(cut));
    const needed = beyond.reduce((sum, one) => sum + one.clusters, 0);
    const work = new Work(shrinking, total, cut, space, beyond, needed);
    if (needed > space.left) return await work.noRoom(volume, needed - space.left);
    return await work.next();
  });
}

/** The two streams that are as long as the volume are followed only where one record holds each. @throws NoRoom */
async function standAlone(device: Device, at: number, volume: NtfsVolume): Promise<void> {
  for (const number of [RECORD.bitmap, RECORD.badClusters]) {
    const edit = await RecordEdit.open(new SectorEdits(device), volume, at, number);
    if (edit.has(ATTRIBUTE.list)) throw new NoRoom('record');
  }
}

/** A volume's damage or lack of room, as a problem instead of an exception. */
async function guarded(
  { name }: Pick<Resizing, 'name'>,
  plan: () => Promise<Outcome<PlannedOperation>>,
): Promise<Planned> {
  try {
    return await plan();
  } catch (error) {
    if (error instanceof NtfsDamage)
      return refusal('damaged', `${name} is damaged: ${error.message}. Let a file check mend it first.`);
    if (lacks(error, 'record'))
      return refusal('scattered', `The tables of ${name} have no room left for files in so many pieces.`);
    if (lacks(error, 'memory'))
      return refusal('scattered', `${name} is in use in more pieces than can be followed.`);
    if (lacks(error, 'clusters'))
      return refusal('no-room', `${name} is too full: what lies beyond its new end finds no room before it.`);
    throw error;
  }
}

/** The plans of one shrink, one after the other. */
class Work {
  private readonly queue: Beyond[];
  private begun = false;

  constructor(
    private readonly shrinking: Resizing,
    private readonly total: number,
    private readonly cut: number,
    private readonly space: FreeSpace,
    private readonly beyond: readonly Beyond[],
    private left: number,
  ) {
    // The longest stretches choose first, so that no more is split than must be.
    this.queue = beyond
      .filter(({ record, base }) => !LAST.includes(record) && !LAST.includes(base))
      .sort((a, b) => b.longest - a.longest || a.record - b.record);
    this.queue.reverse();
  }

  async noRoom(volume: NtfsVolume, missing: number): Promise<Planned> {
    const { name } = this.shrinking;
    const holders = await describeHolders(volume, this.beyond);
    return refusal(
      'no-room',
      `${name} can’t be made that small: ${missing} clusters too many lie beyond its new end. ${holders}`,
    );
  }

  next(): Promise<Planned> {
    return guarded(this.shrinking, async () => {
      const { on, device, at, size } = this.shrinking;
      const boot = parseNtfsBoot(await device.read(at, device.sectorSize))!;
      const volume = await NtfsVolume.open(slice(device, at, size), boot);
      const inHand: InHand = { on, device, base: at, volume, space: this.space, cut: this.cut };
      const first = this.begun ? [] : await this.beginning(volume);
      this.begun = true;
      if (first.length > 0) return this.planned(first, boot, null);
      if (this.queue.length > 0) return this.batch(inHand);
      for (const move of [moveMirror, moveBitmap, moveMft]) {
        const moved = await move(inHand);
        if (!moved) continue;
        this.left -= moved.relocated.bytes / boot.clusterSize;
        return this.planned(moved.operations, boot, moved.relocated);
      }
      const operations = await cutOff(inHand, this.total);
      return success({ operations: [...operations, ...(await this.shrinking.table())] });
    });
  }

  /** The log asks for nothing any more, and Windows checks the volume at its next start. */
  private async beginning(volume: NtfsVolume): Promise<Operation[]> {
    const { on, device, at } = this.shrinking;
    const edits = new SectorEdits(device);
    await markDirty(edits, volume, at);
    const log = await resetLog(on, device, volume, at);
    const { changes: groups } = edits;
    return groups.length > 0 ? [...log, { op: 'change', on, groups }] : log;
  }

  private async batch(inHand: InHand): Promise<Planned> {
    const batch = new Batch(inHand);
    const { boot } = inHand.volume;
    while (this.queue.length > 0) {
      const { record, base } = this.queue.pop()!;
      await batch.take(record, base);
      if (batch.weight > MAX_WEIGHT || batch.clusters * boot.clusterSize > MAX_BYTES) break;
      if (this.queue.length % 512 === 0) await this.shrinking.told();
    }
    this.left -= batch.clusters;
    const { operations, relocated } = await batch.operations();
    return this.planned(operations, boot, relocated);
  }

  private planned(operations: Operation[], boot: NtfsBoot, relocated: Relocated | null): Planned {
    return success({
      operations,
      marks: this.shrinking.marks,
      more: Math.max(0, this.left * boot.clusterSize),
      relocated,
      next: () => this.next(),
    });
  }
}

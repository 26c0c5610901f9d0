import { ATTRIBUTE } from '../../volumes/ntfs/record';
import { NoRoom } from '../noRoom';
import type { ClusterRun } from '../../volumes/ntfs/runs';
import { NtfsDamage } from '../../volumes/ntfs/volume';
import { SectorEdits } from '../sectorEdits';
import type { Operation, Relocated } from '../plan';
import { parseList } from './attributeList';
import { applyEdits } from './bitmapPlan';
import { changeBoots } from './bootSectors';
import { RECORD } from './ownershipScan';
import { withPlaces } from './mappingPairs';
import { RecordEdit } from './records';
import { Placement, countPieces, runsIn, makeScatterOperations, type InHand } from './relocation';
import { editBits, placesOf, type OnDevice } from './streamPlaces';

/** Operations that relocate one of the file system's own streams; null: nothing of it lies beyond the cut. */
type Moved = Promise<{ operations: Operation[]; relocated: Relocated } | null>;

/** An attribute with clusters beyond the cut, as it is and as it will be. */
interface Replaced {
  type: number;
  before: ClusterRun[];
  after: ClusterRun[];
}

/** Brings the attributes of a record before the cut; the record itself is not saved yet. @throws NoRoom */
function replaceAll(
  edit: RecordEdit,
  { cut, volume }: InHand,
  placed: (runs: ClusterRun[]) => ClusterRun[],
): Replaced[] {
  const out: Replaced[] = [];
  for (const { type, name, lowestVcn, resident } of edit.held()) {
    if (resident) continue;
    const held = edit
      .held()
      .find((one) => one.type === type && one.name === name && one.lowestVcn === lowestVcn)!;
    const attribute = edit.bytesOf(held);
    const before = runsIn(attribute, held, volume.boot.clusters);
    if (!before.some(({ lcn, clusters }) => lcn !== null && lcn + clusters > cut)) continue;
    const after = placed(before);
    edit.exchange(held, withPlaces(attribute, after));
    out.push({ type, before, after });
  }
  return out;
}

const toldOf = (replaced: readonly Replaced[], clusters: number, clusterSize: number): Relocated => ({
  files: 1,
  bytes: clusters * clusterSize,
  piecesBefore: replaced.reduce((sum, { before }) => sum + countPieces(before), 0),
  piecesAfter: replaced.reduce((sum, { after }) => sum + countPieces(after), 0),
});

async function bitmapPlace({ volume, base }: InHand): Promise<OnDevice> {
  const { content } = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
  if (!('runs' in content)) throw new NtfsDamage('its map of clusters is damaged');
  return { runs: content.runs, clusterSize: volume.boot.clusterSize, base };
}

/**
 * The copies of the first records go to one place before the cut. Until the boot sector names that, the old copies
 * count; both are kept right.
 */
export async function moveMirror(inHand: InHand): Moved {
  const { on, device, base, volume, space, cut } = inHand;
  const { clusterSize, recordSize } = volume.boot;
  const sectorEdits = new SectorEdits(device);
  const edit = await RecordEdit.open(sectorEdits, volume, base, RECORD.mirror);
  const placement = new Placement(space, cut);
  const replaced = replaceAll(edit, inHand, (runs) => {
    const count = runs.reduce((sum, { clusters }) => sum + clusters, 0);
    return placement.whole(runs, count);
  });
  if (replaced.length === 0) return null;
  const data = replaced.find(({ type }) => type === ATTRIBUTE.data);
  const map = await bitmapPlace(inHand);
  await editBits(sectorEdits, map, placement.sets);
  sectorEdits.endGroup();
  const copyAt = data ? base + data.after[0]!.lcn! * clusterSize + RECORD.mirror * recordSize : null;
  const more = copyAt === null ? [] : [{ offset: copyAt, length: recordSize }];
  await edit.at([...edit.places, ...more]).save(true);
  sectorEdits.endGroup();
  if (data)
    await changeBoots(sectorEdits, inHand, (view) =>
      view.setBigUint64(0x38, BigInt(data.after[0]!.lcn!), true),
    );
  await editBits(sectorEdits, map, placement.clears);
  return {
    operations: [
      ...makeScatterOperations(inHand, placement.moves),
      { op: 'change', on, groups: sectorEdits.changes },
    ],
    relocated: toldOf(replaced, placement.clusters, clusterSize),
  };
}

/**
 * `$Bitmap` itself. What of it moves says in its new place already what will hold; what stays says so in two steps, as
 * for any other stream.
 */
export async function moveBitmap(inHand: InHand): Moved {
  const { on, device, base, volume, space, cut } = inHand;
  const { clusterSize } = volume.boot;
  const sectorEdits = new SectorEdits(device);
  const edit = await RecordEdit.open(sectorEdits, volume, base, RECORD.bitmap);
  const placement = new Placement(space, cut);
  const old = await bitmapPlace(inHand);
  const replaced = replaceAll(edit, inHand, (runs) => placement.placed(runs));
  if (replaced.length === 0) return null;
  const data = replaced.find(({ type }) => type === ATTRIBUTE.data);
  const now = data ? { ...old, runs: data.after } : old;
  // Moved data is written in whole sectors: around them the new place does not hold its content yet.
  const unit = device.sectorSize;
  const whereOf = (map: OnDevice, from: number) => placesOf(map, from, from + unit)[0]?.offset ?? null;
  const all = [...placement.sets, ...placement.clears];
  const units = new Set<number>();
  for (const { first, count } of all)
    for (let at = Math.floor(first / 8 / unit) * unit; at < (first + count) / 8; at += unit) units.add(at);
  const stays = (from: number) => whereOf(old, from) === whereOf(now, from);
  for (const from of units) {
    if (stays(from)) continue;
    const bytes = await sectorEdits.read(whereOf(old, from)!, unit);
    applyEdits(bytes, 8 * from, all);
    await sectorEdits.put(whereOf(now, from)!, bytes);
  }
  const staying = async (edits: typeof all) => {
    for (const from of units) {
      if (!stays(from)) continue;
      const bytes = await sectorEdits.read(whereOf(old, from)!, unit);
      applyEdits(bytes, 8 * from, edits);
      await sectorEdits.write(whereOf(old, from)!, bytes);
    }
    sectorEdits.endGroup();
  };
  await staying(placement.sets);
  await edit.save();
  sectorEdits.endGroup();
  await staying(placement.clears);
  return {
    operations: [
      ...makeScatterOperations(inHand, placement.moves),
      { op: 'change', on, groups: sectorEdits.changes },
    ],
    relocated: toldOf(replaced, placement.clusters, clusterSize),
  };
}

/** The `$MFT`, last of all: its record 0 has to be found from the boot sector alone. */
export async function moveMft(inHand: InHand): Moved {
  const { on, device, base, volume, space, cut } = inHand;
  const { clusterSize, recordSize, mftCluster } = volume.boot;
  const sectorEdits = new SectorEdits(device);
  const placement = new Placement(space, cut);
  const table = await volume.stream(RECORD.mft, ATTRIBUTE.data);
  const list = await volume.streamOrNull(RECORD.mft, ATTRIBUTE.list);
  const parts = list ? parseList(await volume.range(list, 0, list.size)) : [];
  const numbers = new Set([RECORD.mft, ...parts.map(({ record }) => record)]);
  const changed: { number: number; edit: RecordEdit }[] = [];
  const replaced: Replaced[] = [];
  for (const number of numbers) {
    const edit = await RecordEdit.open(sectorEdits, volume, base, number);
    const mine = replaceAll(edit, inHand, (runs) => placement.placed(runs));
    replaced.push(...mine);
    if (mine.length > 0) changed.push({ number, edit });
  }
  if (changed.length === 0) return null;
  const data = replaced.filter(({ type }) => type === ATTRIBUTE.data);
  const gone = new Map(data.map((one) => [one.before[0]!.vcn, one]));
  const runs = ('runs' in table.content ? table.content.runs : [])
    .filter(({ vcn }) => !data.some(({ before }) => inside(vcn, before)))
    .concat([...gone.values()].flatMap(({ after }) => after))
    .sort((a, b) => a.vcn - b.vcn);
  const first = runs[0]!;
  if (first.lcn === null || first.clusters * clusterSize < recordSize) throw new NoRoom('clusters');

  const map = await bitmapPlace(inHand);
  await editBits(sectorEdits, map, placement.sets);
  sectorEdits.endGroup();
  const now = { runs, clusterSize, base };
  // Record 0 last: until it is there, nothing leads to the others.
  for (const { number, edit } of changed.reverse()) {
    const copies = edit.places.slice(volume.recordPlaces(number).length);
    const own = placesOf(now, number * recordSize, (number + 1) * recordSize);
    await edit.at([...own, ...copies]).save(true);
    sectorEdits.endGroup();
  }
  const moved = first.lcn;
  if (moved !== mftCluster)
    await changeBoots(sectorEdits, inHand, (view) => view.setBigUint64(0x30, BigInt(moved), true));
  await editBits(sectorEdits, map, placement.clears);
  return {
    operations: [
      ...makeScatterOperations(inHand, placement.moves),
      { op: 'change', on, groups: sectorEdits.changes },
    ],
    relocated: toldOf(replaced, placement.clusters, clusterSize),
  };
}

const inside = (vcn: number, runs: readonly ClusterRun[]): boolean =>
  vcn >= runs[0]!.vcn && vcn < runs.at(-1)!.vcn + runs.at(-1)!.clusters;

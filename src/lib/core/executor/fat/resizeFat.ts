import { viewOf } from '../../bytes';
import { lacks, NoRoom } from '../noRoom';
import { slice } from '../../images/source';
import { refusal, success } from '../../problem';
import { FAT_CLUSTERS, type FatBoot } from '../../volumes/fat';
import { SectorEdits } from '../sectorEdits';
import type { WrittenPiece, Operation, DiskPlace } from '../plan';
import { FreeSpace } from '../ntfs/freeSpace';
import type { Planned } from '../verbs/ground';
import type { Resizing } from '../volumes/resizing';
import { changeFatBoots, freeCount, writeInfo } from './bootFat';
import { groupByFolder, FatDamage, isBad, readFatVolume, type FatVolume } from './fatVolume';
import { freeClusters, putEntry, putFirst, relocate, writeEntries, type FatRelocation } from './relocateFat';

const MAX_SECTORS = 2 ** 32 - 1;
const MAX_RESERVED = 65_535;
const PIECE = 2 ** 20;

async function guarded({ name }: Resizing, plan: () => Promise<Planned>): Promise<Planned> {
  try {
    return await plan();
  } catch (error) {
    if (error instanceof FatDamage)
      return refusal('damaged', `${name} is damaged: ${error.message}. Let a file check mend it first.`);
    if (lacks(error, 'clusters'))
      return refusal('no-room', `${name} is too full: what has to make room finds no other place in it.`);
    throw error;
  }
}

/**
 * What makes a FAT16 or FAT32 volume fit a smaller partition: clusters beyond the cut go before it, in both tables and
 * in every folder, then the volume ends earlier. Its tables stay as long as they are.
 *
 * Problem codes: `damaged`, `no-room`, `too-small`.
 */
export const shrinkFat = (resize: Resizing): Promise<Planned> =>
  guarded(resize, async () => {
    const { on, device, at, to, name, told } = resize;
    const volume = await readFatVolume(slice(device, at, resize.size), told);
    const { boot } = volume;
    const sectors = Math.floor(to / boot.bytesPerSector);
    if (sectors * boot.bytesPerSector >= boot.size) return success({ operations: await resize.table() });
    const clusters = Math.floor((sectors * boot.bytesPerSector - boot.dataAt) / boot.clusterSize);
    const [least] = FAT_CLUSTERS[boot.fileSystem];
    if (clusters < least)
      return refusal(
        'too-small',
        `${name} would have ${Math.max(0, clusters)} clusters; ${nameOf(boot)} has ${least} at the least.`,
      );
    const end = clusters + 2;
    const space = new FreeSpace(freeClusters(volume, 2, end));
    const found = relocate(volume, (cluster) => cluster >= end, space);
    const edits = new SectorEdits(device);
    await inPlace(edits, at, volume, found);
    await writeInfo(edits, at, boot, freeCount(volume, end));
    await changeFatBoots(edits, at, boot, (view) => setSectors(view, sectors));
    const operations: Operation[] = [
      ...scatteredFat(on, at, boot, found.moves),
      { op: 'change', on, groups: edits.changes },
      ...(await resize.table()),
    ];
    return success({ operations, relocated: found.relocated });
  });

/**
 * What makes a FAT16 or FAT32 volume fill a larger partition. Where its tables are long enough only its size changes.
 * Else they have to grow, and begin farther behind: first the files there make room, as in a shrink; then the new
 * tables and a copy of every folder with the new numbers are written where nothing lies, and the boot sector, one
 * sector, leads to them. Until then the old volume is whole.
 *
 * Problem codes: `damaged`, `no-room`, `too-large`.
 */
export const growFat = (resize: Resizing): Promise<Planned> =>
  guarded(resize, async () => {
    const { device, at, to, name, told } = resize;
    const volume = await readFatVolume(slice(device, at, resize.size), told);
    const { boot } = volume;
    const sectors = Math.floor(to / boot.bytesPerSector);
    if (sectors * boot.bytesPerSector <= boot.size) return success({ operations: await resize.table() });
    if (sectors > MAX_SECTORS)
      return refusal('too-large', `${name} can’t have more than 4,294,967,295 sectors with ${nameOf(boot)}.`);
    const plan = layoutFor(volume, sectors);
    const [, most] = FAT_CLUSTERS[boot.fileSystem];
    if (plan.clusters > most)
      return refusal(
        'too-large',
        `${name} would have ${plan.clusters} clusters; ${nameOf(boot)} has ${most} at the most.`,
      );
    if (plan.reserved > MAX_RESERVED)
      return refusal('too-large', `The tables of ${name} can’t be made long enough for that size.`);
    if (plan.clear === 0)
      return success({ operations: [...(await resize.table()), ...(await longer(resize, volume, plan))] });
    const inTheWay = (cluster: number) => cluster < plan.clear + 2;
    const space = new FreeSpace(freeClusters(volume, plan.clear + 2, boot.clusters + 2));
    for (let cluster = 2; inTheWay(cluster); cluster++)
      if (isBad(boot, volume.next[cluster]!))
        return refusal('damaged', `${name} has bad clusters where its longer tables would lie.`);
    const found = relocate(volume, inTheWay, space);
    if (found.moves.length === 0) return switched(resize, volume, plan);
    const edits = new SectorEdits(device);
    await inPlace(edits, at, volume, found);
    return success({
      operations: [
        ...scatteredFat(resize.on, at, boot, found.moves),
        { op: 'change', on: resize.on, groups: edits.changes },
      ],
      more: 0,
      relocated: found.relocated,
    });
  });

const nameOf = ({ fileSystem }: FatBoot): string => fileSystem.toUpperCase();

function setSectors(view: DataView, sectors: number): void {
  const small = view.getUint16(19, true) !== 0 && sectors < 65_536;
  view.setUint16(19, small ? sectors : 0, true);
  view.setUint32(32, small ? 0 : sectors, true);
}

function scatteredFat(on: DiskPlace, at: number, boot: FatBoot, clusters: readonly number[]): Operation[] {
  if (clusters.length === 0) return [];
  const place = (cluster: number) => at + boot.dataAt + (cluster - 2) * boot.clusterSize;
  const moves: number[] = [];
  for (let i = 0; i < clusters.length; i += 3)
    moves.push(place(clusters[i]!), place(clusters[i + 1]!), clusters[i + 2]! * boot.clusterSize);
  return [{ op: 'scatter', on, moves }];
}

/**
 * Tables, folders and root name the new places: first the new clusters lead on to what follows them, then what came
 * before leads to them, then the old ones count as free.
 */
async function inPlace(
  edits: SectorEdits,
  base: number,
  volume: FatVolume,
  found: FatRelocation,
): Promise<void> {
  const { boot, next, references } = volume;
  const { moved } = found;
  const now = (cluster: number) => moved.get(cluster) ?? cluster;
  await writeEntries(
    edits,
    base,
    volume,
    [...moved].map(([old, to]) => [to, now(next[old]!)]),
  );
  edits.endGroup();
  const leading: [number, number][] = [];
  for (let at = 2; at < boot.clusters + 2; at++)
    if (!moved.has(at) && moved.has(next[at]!)) leading.push([at, now(next[at]!)]);
  await writeEntries(edits, base, volume, leading);
  const leadsAway = references.filter(({ first }) => moved.has(first));
  for (const [cluster, mine] of groupByFolder(leadsAway))
    for (const { at, first } of mine) {
      const there = cluster === null ? at : boot.dataAt + (now(cluster) - 2) * boot.clusterSize + at;
      const read = cluster === null ? at : boot.dataAt + (cluster - 2) * boot.clusterSize + at;
      const moves = there !== read;
      // A folder that moves too has been copied by then: what stands in its new place is what the old one holds.
      const entry = await edits.read(base + (moves ? read : there), 32);
      putFirst(viewOf(entry), 0, boot.entryBytes, now(first));
      if (moves && cluster !== null) await editMoved(edits, base, boot, cluster, now(cluster), at, entry);
      else await edits.write(base + there, entry);
    }
  edits.endGroup();
  const { root } = boot;
  if ('cluster' in root && moved.has(root.cluster))
    await changeFatBoots(edits, base, boot, (view) => view.setUint32(44, now(root.cluster), true));
  await writeEntries(
    edits,
    base,
    volume,
    [...moved.keys()].map((old) => [old, 0]),
  );
  edits.endGroup();
}

/** Changes an entry in the copy of its folder's cluster: the edits are told what stands around it there by then. */
async function editMoved(
  edits: SectorEdits,
  base: number,
  boot: FatBoot,
  from: number,
  to: number,
  at: number,
  entry: Uint8Array,
): Promise<void> {
  const place = (cluster: number) => base + boot.dataAt + (cluster - 2) * boot.clusterSize;
  const unit = Math.floor(at / boot.bytesPerSector) * boot.bytesPerSector;
  const key = place(to) + unit;
  const known = edits.isPut(key);
  const sector = known
    ? await edits.read(key, boot.bytesPerSector)
    : await edits.read(place(from) + unit, boot.bytesPerSector);
  sector.set(entry, at - unit);
  await edits.put(key, sector);
}

/** Places of tables and clusters once the volume has another size. Sectors, clusters. */
interface FatLayout {
  sectors: number;
  clusters: number;
  reserved: number;
  tableSectors: number;
  /** Clusters at the front that become tables; 0: the tables stay. */
  clear: number;
}

function layoutFor({ boot, tables, tableBytes }: FatVolume, sectors: number): FatLayout {
  const { bytesPerSector, clusterSize, entryBytes } = boot;
  const perCluster = clusterSize / bytesPerSector;
  const dataAt = boot.dataAt / bytesPerSector;
  const all = Math.floor((sectors - dataAt) / perCluster);
  const tableSectors = Math.ceil(((all + 2) * entryBytes) / bytesPerSector);
  if (tableSectors * bytesPerSector <= tableBytes)
    return { sectors, clusters: all, reserved: boot.fatAt / bytesPerSector, tableSectors, clear: 0 };
  const root = 'at' in boot.root ? boot.root.bytes / bytesPerSector : 0;
  const behind = tables * tableSectors + root;
  const clear = Math.ceil(behind / perCluster);
  return {
    sectors,
    clusters: all - clear,
    reserved: dataAt + clear * perCluster - behind,
    tableSectors,
    clear,
  };
}

/** The tables are long enough: what they say of the new clusters is made good, then the volume is larger. */
async function longer(
  { on, device, at }: Resizing,
  volume: FatVolume,
  { sectors, clusters }: FatLayout,
): Promise<Operation[]> {
  const { boot } = volume;
  const edits = new SectorEdits(device);
  const fresh: [number, number][] = [];
  for (let cluster = boot.clusters + 2; cluster < clusters + 2; cluster++) fresh.push([cluster, 0]);
  await writeEntries(edits, at, volume, fresh);
  edits.endGroup();
  await changeFatBoots(edits, at, boot, (view) => setSectors(view, sectors));
  await writeInfo(edits, at, boot, freeCount(volume, boot.clusters + 2) + clusters - boot.clusters);
  return [{ op: 'change', on, groups: edits.changes }];
}

/** The volume with longer tables, beside the one that is, and the sector that leads to it. */
async function switched(
  { on, device, at, size, told, table }: Resizing,
  volume: FatVolume,
  layout: FatLayout,
): Promise<Planned> {
  const { boot, next, tables } = volume;
  const { clear, clusters, reserved, tableSectors } = layout;
  const { bytesPerSector, clusterSize, entryBytes } = boot;
  // Numbers of clusters as they are count on behind the old end: that is where there is room now.
  const all = clusters + clear + 2;
  const space = new FreeSpace(freeClusters(volume, clear + 2, all));
  const copies = new Map<number, number>();
  for (const chain of volume.folders) {
    const found = space.take(chain.length);
    if (!found) throw new NoRoom('clusters');
    const places = found.flatMap(({ first, count }) => Array.from({ length: count }, (_, i) => first + i));
    chain.forEach((cluster, i) => copies.set(cluster, places[i]!));
  }
  const now = (cluster: number) => (copies.get(cluster) ?? cluster) - clear;
  const place = (cluster: number) => at + boot.dataAt + (cluster - 2) * clusterSize;
  const source = slice(device, at, size);
  const laid: WrittenPiece[] = [];

  const byCluster = groupByFolder(volume.references);
  const known = (first: number) => first >= 2 && first < boot.clusters + 2;
  const renamed = (bytes: Uint8Array, mine: { at: number; first: number }[], from: number) => {
    const out = bytes.slice();
    for (const { at: where, first } of mine)
      if (known(first)) putFirst(viewOf(out), where - from, entryBytes, now(first));
    return out;
  };
  for (const [old, copy] of copies) {
    const bytes = await source.read(boot.dataAt + (old - 2) * clusterSize, clusterSize);
    laid.push({ offset: place(copy), bytes: renamed(bytes, byCluster.get(old) ?? [], 0) });
    if (laid.length % 256 === 0) await told();
  }
  const tableAt = at + reserved * bytesPerSector;
  const tableBytes = tableSectors * bytesPerSector;
  if ('at' in boot.root) {
    const { at: rootAt, bytes: length } = boot.root;
    const bytes = await source.read(rootAt, length);
    laid.push({
      offset: tableAt + tables * tableBytes,
      bytes: renamed(bytes, byCluster.get(null) ?? [], rootAt),
    });
  }
  const values = new Uint32Array(clusters + 2);
  values[0] = next[0]!;
  values[1] = next[1]!;
  for (let old = clear + 2; old < boot.clusters + 2; old++) {
    const value = next[old]!;
    if (value === 0) continue;
    const leads = value >= 2 && known(value) && !isBad(boot, value);
    if (!copies.has(old)) values[old - clear] = leads ? now(value) : value;
    else values[now(old)] = leads ? now(value) : value;
  }
  laid.push(...tablePieces(values, entryBytes, tableAt, tableBytes));

  const edits = new SectorEdits(device);
  const used = values.reduce((sum, value, i) => sum + (i >= 2 && value !== 0 ? 1 : 0), 0);
  await changeFatBoots(edits, at, boot, (view) => {
    view.setUint16(14, reserved, true);
    if (entryBytes === 2) view.setUint16(22, tableSectors, true);
    else {
      view.setUint32(36, tableSectors, true);
      if ('cluster' in boot.root) view.setUint32(44, now(boot.root.cluster), true);
    }
    setSectors(view, layout.sectors);
  });
  await writeInfo(edits, at, boot, clusters - used);
  const copied: Operation[] = Array.from({ length: tables - 1 }, (_, i) => ({
    op: 'copy',
    from: on,
    fromAt: tableAt,
    to: on,
    toAt: tableAt + (i + 1) * tableBytes,
    extents: [0, tableBytes],
  }));
  return success({
    operations: [
      ...(await table()),
      { op: 'lay', on, laid },
      ...copied,
      { op: 'change', on, groups: edits.changes },
    ],
  });
}

/** A table as it is written: what is empty of it is filled, and takes no room in a journal. */
function tablePieces(values: Uint32Array, entryBytes: 2 | 4, at: number, length: number): WrittenPiece[] {
  const out: WrittenPiece[] = [];
  const per = PIECE / entryBytes;
  for (let from = 0; from * entryBytes < length; from += per) {
    const size = Math.min(PIECE, length - from * entryBytes);
    const mine = values.subarray(from, from + per);
    const offset = at + from * entryBytes;
    if (!mine.some((value) => value !== 0)) {
      out.push({ offset, length: size, byte: 0 });
      continue;
    }
    const bytes = new Uint8Array(size);
    const view = viewOf(bytes);
    mine.forEach((value, i) => putEntry(view, entryBytes, i, value));
    out.push({ offset, bytes });
  }
  return out;
}

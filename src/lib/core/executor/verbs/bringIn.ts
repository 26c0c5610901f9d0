import { slice } from '../../images/source';
import { type Outcome, refusal, success } from '../../problem';
import { findSoundExfatBoot } from '../../volumes/exfat';
import { parseFatBoot } from '../../volumes/fat';
import { parseNtfsBoot } from '../../volumes/ntfs/bootSector';
import type { Device } from '../devices/device';
import { growFat, shrinkFat } from '../fat/resizeFat';
import { growNtfs } from '../ntfs/grow';
import { shrinkNtfs } from '../ntfs/shrink';
import type { Extents, Operation, DiskPlace } from '../plan';
import { startChanges } from '../volumes/startSectors';
import { kindOf, findUsedExtents, type Kind } from '../volumes/usedExtents';
import type { PlanContext, Planned, PlannedOperation } from './ground';

/** A volume that goes to a place of the disk where nothing lies, and fits it in the end. */
export interface BringIn {
  /** Its present place: bytes of a device, and the first sector that its boot sectors may name. */
  source: { place: DiskPlace; at: number; size: number; first: number };
  /** Name of the store of this run where it is made smaller, where it has to be; the source itself may be that. */
  store: string;
  to: { first: number; sectors: number };
  name: string;
  marks: number;
  /** Operations that come first in every plan that touches the place, for when the step is taken back. */
  undo: Operation[];
  /** Operations that come last of all. */
  finish: () => Promise<Outcome<Operation[]>>;
}

/**
 * A clone of what is in use. Where the place is larger the volume grows there, in a plan of its own; where it is
 * smaller the clone goes to a store first, is made smaller there, and then comes.
 */
export async function bringIn(ground: PlanContext, bring: BringIn): Promise<Planned> {
  const { disk } = ground;
  const { to, undo, finish } = bring;
  const target = to.sectors * disk.sectorSize;
  const store: DiskPlace = `aside:${bring.store}`;
  const own = bring.source.place === store;
  let { source } = bring;
  let device = await deviceOf(ground, source.place);
  let held = await volumeAt(device, source);
  if (held.size > target && !own) {
    if (ground.batch === 0) return toStore(ground, bring, device);
    source = { ...source, place: store, at: 0 };
    device = await ground.aside(bring.store);
    held = await volumeAt(device, source);
  }
  if (held.size > target) return smaller(ground, bring, device, source, held.kind);
  const copied = await copyHere(ground, bring, device, source, held.kind);
  const grows = await mayGrow(held, target);
  if (!grows) {
    const last = await finish();
    return last.ok ? success({ operations: [...undo, ...copied, ...last.value] }) : last;
  }
  if (ground.batch === 0) return success({ operations: [...undo, ...copied], more: 0 });
  return larger(ground, bring, held.kind);
}

const deviceOf = (ground: PlanContext, place: DiskPlace): Promise<Device> =>
  place === 'disk' ? Promise.resolve(ground.disk) : ground.aside(place.slice('aside:'.length));

interface Held {
  kind: Kind;
  /** Bytes that its file system needs, with a backup of its boot sector. */
  size: number;
}

async function volumeAt(device: Device, { at, size }: { at: number; size: number }): Promise<Held> {
  const bytes = slice(device, at, Math.min(size, device.size - at));
  const kind = await kindOf(bytes);
  const boot = await bytes.read(0, 512);
  const ntfs = kind === 'ntfs' ? parseNtfsBoot(boot) : null;
  if (ntfs) return { kind, size: (ntfs.totalSectors + 1) * ntfs.bytesPerSector };
  const fat = kind === 'fat' ? parseFatBoot(boot) : null;
  if (fat) return { kind, size: fat.size };
  const exfat = kind === 'exfat' ? await findSoundExfatBoot(bytes) : null;
  if (exfat) return { kind, size: exfatSize(boot) };
  return { kind, size };
}

/** Sectors of the volume, of the size that the boot sector gives (domain facts 5). */
function exfatSize(boot: Uint8Array): number {
  const view = new DataView(boot.buffer, boot.byteOffset, boot.length);
  return Number(view.getBigUint64(72, true)) * 2 ** boot[108]!;
}

async function mayGrow({ kind, size }: Held, target: number): Promise<boolean> {
  // A remainder below this takes no cluster.
  return (kind === 'ntfs' || kind === 'fat') && target - size >= 512;
}

async function toStore(ground: PlanContext, { source, store }: BringIn, device: Device): Promise<Planned> {
  const { disk } = ground;
  const { extents } = await findUsedExtents(slice(device, source.at, source.size), disk.sectorSize);
  const held = await ground.aside(store);
  await held.resize(source.size);
  await held.flush();
  const copy: Operation = {
    op: 'copy',
    from: source.place,
    fromAt: source.at,
    to: `aside:${store}`,
    toAt: 0,
    extents,
  };
  return success({ operations: [copy], more: 0 });
}

async function smaller(
  ground: PlanContext,
  { store, to, name, marks }: BringIn,
  device: Device,
  { at, size }: { at: number; size: number },
  kind: Kind,
): Promise<Planned> {
  const shrinking = {
    on: `aside:${store}` as DiskPlace,
    device,
    at,
    size,
    to: to.sectors * ground.disk.sectorSize,
    name,
    marks,
    told: ground.told,
    table: async () => [],
  };
  if (kind !== 'ntfs' && kind !== 'fat')
    return refusal(
      'not-yet',
      `${name} holds neither NTFS nor FAT; it goes only where it is as large as it is.`,
    );
  const plan = kind === 'ntfs' ? await shrinkNtfs(shrinking) : await shrinkFat(shrinking);
  return onStore(plan);
}

/** A plan that makes the clone smaller is never the last one of its step. */
function onStore(plan: Planned): Planned {
  if (!plan.ok) return plan;
  const { more, next } = plan.value;
  const then = next && (async () => onStore(await next()));
  return success({ ...plan.value, more: more ?? 0, ...(then ? { next: then } : {}) });
}

async function copyHere(
  { disk }: PlanContext,
  { to }: BringIn,
  device: Device,
  source: BringIn['source'],
  kind: Kind,
): Promise<Operation[]> {
  const target = to.sectors * disk.sectorSize;
  const toAt = to.first * disk.sectorSize;
  const size = Math.min(source.size, device.size - source.at);
  const { extents } = await findUsedExtents(slice(device, source.at, size), disk.sectorSize);
  const place = {
    readAt: source.at,
    writeAt: toAt,
    size: Math.min(size, target),
    was: source.first,
    is: to.first,
  };
  const starts = source.first === to.first ? [] : await startChanges(device, kind, place);
  return [
    {
      op: 'copy',
      from: source.place,
      fromAt: source.at,
      to: 'disk',
      toAt,
      extents: within(extents, target),
    },
    ...(starts.length > 0 ? [{ op: 'change' as const, on: 'disk' as const, groups: starts }] : []),
  ];
}

async function larger(ground: PlanContext, bring: BringIn, kind: Kind): Promise<Planned> {
  const { disk, told } = ground;
  const { to, name, undo, finish } = bring;
  const [at, size] = [to.first * disk.sectorSize, to.sectors * disk.sectorSize];
  let plan: PlannedOperation;
  if (kind === 'ntfs') {
    const grown = await growNtfs('disk', disk, { at, size });
    if (!grown.ok) return grown;
    plan = { operations: grown.value, marks: bring.marks };
  } else {
    const grown = await growFat({
      ...{ on: 'disk', device: disk, at, size, to: size, name, told, marks: bring.marks },
      table: async () => [],
    });
    if (!grown.ok) return grown;
    plan = grown.value;
  }
  if (plan.more != null) return success({ ...plan, operations: [...undo, ...plan.operations] });
  const last = await finish();
  return last.ok ? success({ ...plan, operations: [...undo, ...plan.operations, ...last.value] }) : last;
}

/** The part of some extents before an end. */
function within(extents: Extents, end: number): Extents {
  const out: Extents = [];
  for (let i = 0; i < extents.length && extents[i]! < end; i += 2)
    out.push(extents[i]!, Math.min(extents[i + 1]!, end - extents[i]!));
  return out;
}

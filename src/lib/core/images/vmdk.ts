import { BrokenImage, catchBroken } from './broken';
import { latin1, viewOf } from '../bytes';
import { type Outcome, refusal, success } from '../problem';
import { joined } from './joined';
import { mappedDisk, type MappedExtent } from './mapped';
import { Recent } from './recent';
import { checkedSource, ImageDamage, refuseImageDamage, type ByteSource } from './source';
import { MAX_DESCRIPTOR, parseVmdkDescriptor, type VmdkDescriptor } from './vmdkDescriptor';

const SECTOR = 512;
const MAX_BYTES = 2 ** 50;
const MAX_DIRECTORY = 32 * 2 ** 20;
const MAX_GRAIN = 2 ** 16;
const FLAG = { newlines: 1, zeroGrains: 4, compressed: 0x10000, markers: 0x20000 } as const;
const HEADER_BYTES = 79;
const CACHED_TABLES = 256;
/** The kinds that are read here, by what a description calls them. */
const READ = ['monolithicSparse', 'monolithicFlat', 'twoGbMaxExtentSparse', 'twoGbMaxExtentFlat', 'vmfs'];

/** Another file that was given together with the first, by its name; null: there is none. */
export type Beside = (name: string) => ByteSource | null;

const nothing = 'nothing was read.';

/** Whether a file begins as a VMDK does: with a table of its grains, or with the text that describes the disk. */
export async function isVmdk(source: ByteSource): Promise<boolean> {
  const head = latin1(await source.read(0, Math.min(64, source.size)));
  return head.startsWith('KDMV') || head.startsWith('COWD') || /^\s*# Disk DescriptorFile/.test(head);
}

/**
 * The disk inside a VMDK (its published specification 1.1; all fields little-endian): sparse with its description in
 * the same file, or a description whose pieces were given with it.
 *
 * Problem codes: `vmdk-broken`, `vmdk-pieces` (files that belong to it are missing), `vmdk-parent` (snapshots and other
 * differences), `vmdk-encrypted`, `vmdk-kind` (one that is not read here).
 */
export function openVmdk(source: ByteSource, beside: Beside): Promise<Outcome<ByteSource>> {
  return catchBroken('This VMDK', 'vmdk-broken', () => open(source, beside));
}

async function open(source: ByteSource, beside: Beside): Promise<Outcome<ByteSource>> {
  const head = latin1(await source.read(0, 4));
  if (head === 'COWD') {
    return refusal(
      'vmdk-kind',
      `This VMDK is of the old sparse kind of a host, which is not read here. Make a monolithic copy first; ${nothing}`,
    );
  }
  if (head === 'KDMV') {
    const sparse = await readSparse(source);
    if (sparse.descriptor === null) {
      return refusal(
        'vmdk-pieces',
        `This is one piece of a divided VMDK. Choose the file that describes it (it ends in .vmdk and is small) together with all its pieces; ${nothing}`,
      );
    }
    const not = notRead(sparse.descriptor);
    if (not) return not;
    if (sparse.compressed) {
      return refusal(
        'vmdk-kind',
        `This VMDK is packed for sending (streamOptimized), which is not read here. Make a monolithic copy first; ${nothing}`,
      );
    }
    return success(sparse.open());
  }
  const bytes = await source.read(0, Math.min(source.size, MAX_DESCRIPTOR));
  const descriptor = parseVmdkDescriptor(new TextDecoder().decode(bytes));
  if (!descriptor || descriptor.extents.length === 0)
    throw new BrokenImage('its description names no pieces');
  return notRead(descriptor) ?? openPieces(descriptor, beside);
}

function notRead({ hasParent, encrypted, createType }: VmdkDescriptor): ReturnType<typeof refusal> | null {
  if (encrypted)
    return refusal('vmdk-encrypted', `This VMDK is encrypted. Make an unencrypted one first; ${nothing}`);
  if (hasParent) {
    return refusal(
      'vmdk-parent',
      `This VMDK holds only differences to another file, as a snapshot does. Merge it with its parent first; ${nothing}`,
    );
  }
  if (READ.includes(createType)) return null;
  return refusal(
    'vmdk-kind',
    `This VMDK is of the kind “${createType.slice(0, 40)}”, which is not read here. Make a monolithic copy first; ${nothing}`,
  );
}

async function openPieces({ extents }: VmdkDescriptor, beside: Beside): Promise<Outcome<ByteSource>> {
  const missing = extents.filter(({ kind, file }) => kind !== 'zero' && beside(file) === null);
  if (missing.length > 0) {
    const names = missing.slice(0, 3).map(({ file }) => `“${file.slice(0, 80)}”`);
    const more = missing.length > 3 ? ` and ${missing.length - 3} more` : '';
    return refusal(
      'vmdk-pieces',
      `This file only describes the disk; its bytes are in ${names.join(', ')}${more}. Choose or drop all of them together; ${nothing}`,
    );
  }
  const pieces: ByteSource[] = [];
  for (const { kind, file, sectors, first } of extents) {
    const size = sectors * SECTOR;
    if (size === 0 || size > MAX_BYTES) throw new BrokenImage('a piece of it has an impossible size');
    const source = beside(file);
    if (kind === 'zero' || source === null)
      pieces.push(checkedSource(size, async (_, length) => new Uint8Array(length)));
    else if (kind === 'flat') {
      if (first * SECTOR + size > source.size)
        throw new BrokenImage(`“${file}” is shorter than its description says`);
      pieces.push(checkedSource(size, (offset, length) => source.read(first * SECTOR + offset, length)));
    } else {
      const sparse = await readSparse(source);
      if (sparse.compressed || sparse.size < size)
        throw new BrokenImage(`“${file}” is not the piece that is described`);
      const disk = sparse.open();
      pieces.push(checkedSource(size, (offset, length) => disk.read(offset, length)));
    }
  }
  const disk = joined(pieces);
  if (disk.size > MAX_BYTES) throw new BrokenImage('the size it gives is impossible');
  return success(disk);
}

interface Sparse {
  size: number;
  compressed: boolean;
  /** null: it is one piece of several, and described elsewhere. */
  descriptor: VmdkDescriptor | null;
  open: () => ByteSource;
}

/** A directory of tables of grains: an entry is the sector of the file where a grain lies. */
async function readSparse(source: ByteSource): Promise<Sparse> {
  const bytes = await source.read(0, HEADER_BYTES);
  const header = viewOf(bytes);
  const u64 = (at: number) => Number(header.getBigUint64(at, true));
  if (latin1(bytes.subarray(0, 4)) !== 'KDMV') throw new BrokenImage('a piece of it is none');
  const version = header.getUint32(4, true);
  const flags = header.getUint32(8, true);
  const size = u64(12) * SECTOR;
  const grainSectors = u64(20);
  const perTable = header.getUint32(44, true);
  const compressed = (flags & (FLAG.compressed | FLAG.markers)) !== 0 || header.getUint16(77, true) !== 0;
  if (version < 1 || version > 3) throw new BrokenImage(`its version (${version}) is not known`);
  if ((flags & FLAG.newlines) !== 0 && latin1(bytes.subarray(73, 77)) !== '\n \r\n')
    throw new BrokenImage('it was changed by a transfer as text');
  const powerOfTwo =
    grainSectors >= 1 && grainSectors <= MAX_GRAIN && Number.isInteger(Math.log2(grainSectors));
  if (size === 0 || size > MAX_BYTES || !powerOfTwo || perTable === 0 || perTable > 4096)
    throw new BrokenImage('its header holds impossible values');
  const grainBytes = grainSectors * SECTOR;
  const tables = Math.ceil(size / (grainBytes * perTable));
  if (tables * 4 > MAX_DIRECTORY) throw new BrokenImage('its directory is impossible');

  const [descriptorAt, descriptorSectors] = [u64(28), u64(36)];
  let descriptor: VmdkDescriptor | null = null;
  if (descriptorAt !== 0 && descriptorSectors !== 0) {
    const length = Math.min(descriptorSectors * SECTOR, MAX_DESCRIPTOR);
    const words = new TextDecoder().decode(await source.read(descriptorAt * SECTOR, length));
    const [described = ''] = words.split('\0', 1);
    descriptor = parseVmdkDescriptor(described);
    // A piece may keep room for a description without having one.
    if (!descriptor && described !== '') throw new BrokenImage('its description is damaged');
  }
  // One that is packed has its directory at its end; it is not followed.
  const directory = compressed ? null : viewOf(await source.read(u64(56) * SECTOR, tables * 4));
  const zeroGrains = (flags & FLAG.zeroGrains) !== 0;
  const open = (): ByteSource => {
    if (!directory) throw new ImageDamage('it is packed');
    const file = refuseImageDamage(source);
    const recent = new Recent<number>(CACHED_TABLES);
    const placeOf = async (grain: number): Promise<MappedExtent> => {
      const table = directory.getUint32(Math.floor(grain / perTable) * 4, true);
      if (table === 0) return 'zeros';
      const entries = await recent.of(table, () => file.read(table * SECTOR, perTable * 4));
      const sector = viewOf(entries).getUint32((grain % perTable) * 4, true);
      if (sector === 1 && !zeroGrains) throw new ImageDamage('a grain lies on its description');
      return sector <= 1 ? 'zeros' : sector * SECTOR;
    };
    return mappedDisk(file, size, grainBytes, placeOf);
  };
  return { size, compressed, descriptor, open };
}

/** One piece of the disk, as a description of it says: so many sectors of 512 bytes, from a file or zeros. */
export interface VmdkExtent {
  sectors: number;
  kind: 'flat' | 'sparse' | 'zero';
  /** The file's own name, without folders; '' for zeros. */
  file: string;
  /** The sector of that file with which it begins (flat). */
  first: number;
}

export interface VmdkDescriptor {
  createType: string;
  /** Mark of a file that holds only differences to another, which is mostly a snapshot's. */
  hasParent: boolean;
  encrypted: boolean;
  extents: VmdkExtent[];
}

/** A description is some hundred bytes long; longer texts, and more lines than these, are none. */
export const MAX_DESCRIPTOR = 256 * 1024;
const MAX_LINES = 4096;
const MAX_EXTENTS = 1024;
const KIND: Record<string, VmdkExtent['kind']> = {
  FLAT: 'flat',
  VMFS: 'flat',
  SPARSE: 'sparse',
  ZERO: 'zero',
};

export const isVmdkDescriptor = (text: string): boolean => /^\s*# Disk DescriptorFile/.test(text);

/** Reads the text that describes a disk; null where it can't be one. Names in it are names only, never paths. */
export function parseVmdkDescriptor(text: string): VmdkDescriptor | null {
  if (!isVmdkDescriptor(text)) return null;
  const lines = text.split(/\r?\n/, MAX_LINES + 1);
  if (lines.length > MAX_LINES) return null;
  const values = new Map<string, string>();
  for (const line of lines) {
    const at = line.indexOf('=');
    const key = line.slice(0, Math.max(at, 0)).trim().toLowerCase();
    // The first of two counts.
    if (key === '' || values.has(key)) continue;
    const value = line.slice(at + 1).trim();
    values.set(key, value.replace(/^"|"$/g, ''));
  }
  const extents: VmdkExtent[] = [];
  for (const line of lines) {
    const found =
      /^\s*(?:RW|RDONLY|NOACCESS)\s+(\d{1,16})\s+([A-Z]+)(?:\s+"([^"]*)")?(?:\s+(\d{1,16}))?\s*$/.exec(line);
    if (!found) continue;
    const [, sectors, word, path = '', first = '0'] = found;
    const kind = KIND[word!];
    if (!kind || extents.length === MAX_EXTENTS) return null;
    const file = path.slice(Math.max(path.lastIndexOf('/'), path.lastIndexOf('\\')) + 1);
    extents.push({ sectors: Number(sectors), kind, file, first: Number(first) });
  }
  const parent = values.get('parentcid') ?? null;
  return {
    createType: values.get('createtype') ?? '',
    hasParent: parent !== null && !/^f{8}$/i.test(parent),
    encrypted: lines.some((line) => /^\s*encryption/i.test(line)),
    extents,
  };
}

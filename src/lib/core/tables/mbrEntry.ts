/** One of the four entries of a master or extended boot record (domain facts 3). */
export interface MbrEntry {
  /** 1 to 4. */
  number: number;
  /** 0x80 active, 0 not; anything else is no boot record. */
  status: number;
  type: number;
  /** Sectors; in an extended record relative. */
  first: number;
  sectors: number;
}

/** The type that protects a GPT from tools that know only master boot records (UEFI 2.10, 5.2.3). */
export const PROTECTIVE = 0xee;

export function entryAt(view: DataView, index: number): MbrEntry {
  const at = 0x1be + 16 * index;
  return {
    number: index + 1,
    status: view.getUint8(at),
    type: view.getUint8(at + 4),
    first: view.getUint32(at + 8, true),
    sectors: view.getUint32(at + 12, true),
  };
}

/** An entry of type 0 or without a length is empty; a protective one counts whatever length it gives. */
export const inUse = ({ type, sectors }: MbrEntry): boolean =>
  type !== 0 && (sectors !== 0 || type === PROTECTIVE);

/** Boot code, text and the inside of a file system fill these bytes as well; their status bytes give them away. */
export const looksLikeEntries = (entries: readonly MbrEntry[]): boolean =>
  entries.every(({ status }) => status === 0 || status === 0x80);

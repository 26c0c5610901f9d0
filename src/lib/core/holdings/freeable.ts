import type { HeldFile, Holdings, VolumeHoldings } from './document';
import {
  BIG_DOWNLOAD,
  LARGE_PAGE_FILE,
  LARGE_PERSONAL,
  OLD_DAYS,
  PERSONAL,
  RULES,
  SHADOW_AREA,
  USUAL_PAGE_FILE,
  type Rule,
  type Sureness,
} from './rules';
import { accountsOf } from './accounts';
import { HoldingsTree } from './tree';

/** Something that can go from a volume. No byte is in two of them. */
export interface Freeable {
  id: string;
  name: string;
  what: string;
  lost: string;
  how: readonly string[];
  script: readonly string[] | null;
  sure: Sureness;
  bytes: number;
  /** Where it lies, the largest first, with a backslash in front. */
  places: { path: string; bytes: number }[];
}

/** A personal folder that can be given another place, on another volume, by Windows itself. */
export interface Movable {
  /** Its path, with a backslash in front. */
  path: string;
  bytes: number;
  files: number;
  /** Bytes of `freeable` that lie in it, by their ids: what goes is not moved. */
  within: Record<string, number>;
}

/** Least that is worth a line, in bytes. */
const LEAST = 64 * 2 ** 20;
const MOST_PLACES = 50;

/**
 * What can go from a volume first, the largest first, and which folders of people could move. Only what the document names is
 * offered.
 * @param today days are counted back from it: the day on which the document was made
 */
export function freeableIn(
  volume: VolumeHoldings,
  takenAt: Holdings['takenAt'],
): { goes: Freeable[]; moves: Movable[] } {
  const tree = new HoldingsTree(volume);
  const taken = new Taken(tree);
  const found = [
    ...RULES.map((rule) => byRule(tree, taken, rule)),
    pageFile(tree, taken),
    restorePoints(tree, taken),
    oldDownloads(tree, taken, takenAt),
  ];
  const goes = found.filter((one): one is Freeable => one !== null && one.bytes >= LEAST);
  goes.sort((a, b) => b.bytes - a.bytes);
  return { goes, moves: movable(tree, taken, goes) };
}

/** What was counted already, with the bytes that it added: a folder within one that goes, or a file in one, is not counted again. */
class Taken {
  private readonly folders = new Map<number, { id: string; bytes: number }>();
  private readonly files = new Map<number, { id: string; bytes: number }>();

  constructor(private readonly tree: HoldingsTree) {}

  /** Takes a folder, unless it lies in one that is taken; gives the bytes that it adds. */
  folder(place: number, id: string): number {
    if (this.lies(place)) return 0;
    const inside = Object.values(this.within(place)).reduce((sum, bytes) => sum + bytes, 0);
    const bytes = Math.max(0, this.tree.folder(place).bytes - inside);
    this.folders.set(place, { id, bytes });
    return bytes;
  }

  file(place: number, id: string): number {
    const file = this.tree.volume.files[place]!;
    if (this.files.has(place) || this.lies(file.in)) return 0;
    this.files.set(place, { id, bytes: file.bytes });
    return file.bytes;
  }

  /** Bytes in a folder that are taken, by what takes them. */
  within(place: number): Record<string, number> {
    const sums: Record<string, number> = {};
    const add = (folder: number, { id, bytes }: { id: string; bytes: number }): void => {
      if (this.tree.isWithin(folder, place)) sums[id] = (sums[id] ?? 0) + bytes;
    };
    for (const [folder, one] of this.folders) add(folder, one);
    for (const [file, one] of this.files) add(this.tree.volume.files[file]!.in, one);
    return sums;
  }

  private lies(place: number): boolean {
    for (const one of this.folders.keys()) if (this.tree.isWithin(place, one)) return true;
    return false;
  }
}

const listed = (places: Freeable['places']): Freeable['places'] =>
  places.filter(({ bytes }) => bytes > 0).sort((a, b) => b.bytes - a.bytes);

function freeable(rule: Omit<Rule, 'folders' | 'files'>, places: Freeable['places']): Freeable | null {
  const found = listed(places);
  if (found.length === 0) return null;
  const { id, name, what, lost, how, script = null, sure } = rule;
  const bytes = found.reduce((sum, one) => sum + one.bytes, 0);
  return { id, name, what, lost, how, script, sure, bytes, places: found.slice(0, MOST_PLACES) };
}

function byRule(tree: HoldingsTree, taken: Taken, rule: Rule): Freeable | null {
  const folders = (rule.folders ?? []).flatMap((pattern) => tree.find(pattern));
  // The outer of two comes first, so that the inner is part of it.
  folders.sort((a, b) => a - b);
  return freeable(rule, [
    ...folders.map((place) => ({ path: tree.pathOf(place), bytes: taken.folder(place, rule.id) })),
    ...filesAt(tree, rule.files ?? []).map((place) => ({
      path: tree.pathOfFile(tree.volume.files[place]!),
      bytes: taken.file(place, rule.id),
    })),
  ]);
}

function filesAt(tree: HoldingsTree, paths: readonly string[]): number[] {
  const wanted = new Set(paths.map((path) => `\\${path}`.toLowerCase()));
  const names = new Set(paths.map((path) => path.split('\\').at(-1)!.toLowerCase()));
  return tree.volume.files.flatMap((file, place) =>
    names.has(file.name.toLowerCase()) && wanted.has(tree.pathOfFile(file).toLowerCase()) ? [place] : [],
  );
}

function pageFile(tree: HoldingsTree, taken: Taken): Freeable | null {
  const [place] = filesAt(tree, ['pagefile.sys']);
  const file = place === undefined ? null : tree.volume.files[place]!;
  if (!file || file.bytes <= LARGE_PAGE_FILE) return null;
  taken.file(place!, 'page-file');
  return freeable(
    {
      id: 'page-file',
      name: 'An oversized page file',
      what: 'Somebody set a fixed size for it, larger than Windows would make it.',
      lost: 'Nothing, unless a program asked for that size: ask who set it.',
      how: [
        'Settings, System, About, Advanced system settings, Performance, Advanced, Virtual memory: let Windows manage it, and restart.',
        'How large it is then follows the memory of the machine; half of what is above 8 GiB may come back.',
      ],
      sure: 'owner-says',
    },
    [{ path: '\\pagefile.sys', bytes: file.bytes - USUAL_PAGE_FILE }],
  );
}

/** Areas of restore points: among the files of an image, told apart by their name; of a running machine asked for by themselves. */
function restorePoints(tree: HoldingsTree, taken: Taken): Freeable | null {
  const { volume } = tree;
  const rule = {
    id: 'restore-points',
    name: 'Restore points',
    what: 'Earlier states of Windows and of files, which it keeps to go back to.',
    lost: 'Going back to any of those states, and earlier versions of files.',
    how: [
      'The backup of this work is made afterwards; until then these are the only way back. The line below shows how much they take; System protection deletes them.',
    ],
    script: ['vssadmin.exe list shadowstorage'],
    sure: 'look-first' as const,
  };
  const areas = volume.files.flatMap((file, place) =>
    file.name.toLowerCase().includes(SHADOW_AREA) ? [place] : [],
  );
  if (areas.length > 0)
    return freeable(rule, [
      {
        path: '\\System Volume Information',
        bytes: areas.reduce((sum, place) => sum + taken.file(place, rule.id), 0),
      },
    ]);
  // What was asked for beside the folders lies where no folder could be read.
  const bytes = Math.min(volume.restorePoints ?? 0, accountsOf(volume).other);
  return freeable(rule, [{ path: '\\System Volume Information', bytes }]);
}

function oldDownloads(tree: HoldingsTree, taken: Taken, takenAt: string): Freeable | null {
  const before = new Date(Date.parse(takenAt) - OLD_DAYS * 86_400_000).toISOString().slice(0, 10);
  const folders = tree.find('Users\\*\\Downloads');
  const places = tree.volume.files.flatMap((file, place) =>
    file.bytes >= BIG_DOWNLOAD &&
    lastUse(file) < before &&
    folders.some((folder) => tree.isWithin(file.in, folder))
      ? [{ path: tree.pathOfFile(file), bytes: taken.file(place, 'old-downloads') }]
      : [],
  );
  return freeable(
    {
      id: 'old-downloads',
      name: 'Big downloads that nobody opened for a year',
      what: 'Files of 100 MiB and more among the downloads, neither changed nor, as far as Windows notes it, opened since.',
      lost: 'The files themselves. What can’t be fetched again goes to another disk first.',
      how: ['Go through the list with the owner; delete what is not wanted, in the folder itself.'],
      sure: 'owner-says',
    },
    places,
  );
}

/** The newest of a file's days; '9' where it has none, so that it never counts as old. */
const lastUse = ({ created, changed, opened }: HeldFile): string =>
  [created, changed, opened].reduce<string>(
    (newest, day) => (day !== null && day > newest ? day : newest),
    '',
  ) || '9';

function movable(tree: HoldingsTree, taken: Taken, goes: readonly Freeable[]): Movable[] {
  const told = new Set(goes.map(({ id }) => id));
  return PERSONAL.flatMap((name) => tree.find(`Users\\*\\${name}`))
    .filter((place) => tree.folder(place).bytes >= LARGE_PERSONAL)
    .map((place) => {
      const { bytes, files } = tree.folder(place);
      const within = Object.entries(taken.within(place)).filter(([id]) => told.has(id));
      return { path: tree.pathOf(place), bytes, files, within: Object.fromEntries(within) };
    })
    .sort((a, b) => b.bytes - a.bytes);
}

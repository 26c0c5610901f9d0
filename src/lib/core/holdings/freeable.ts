import { Type, type Static } from 'typebox';
import { Bytes, closed } from '../shapes';
import { takeFirstCharacters } from '../wellFormed';
import { accountsOf } from './accounts';
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
} from './rules';
import { TakenBytes } from './taken';
import { HoldingsTree } from './tree';

const MAX_MOVABLE = 40;
const MAX_PLACES = 20;
/** Characters of a path that are told. */
const MAX_PATH = 2000;
const Path = Type.String({ minLength: 1, maxLength: MAX_PATH });
export const FreeableId = Type.String({ pattern: '^[a-z-]{1,40}$' });

export const FreeableShape = closed({
  /** Id of its rule (`rules.ts`), which says what it is and how it goes. */
  id: FreeableId,
  bytes: Bytes,
  /** Paths of it, the largest first, with a backslash in front. */
  places: Type.Array(closed({ path: Path, bytes: Bytes }), { maxItems: MAX_PLACES }),
});
export const MovableShape = closed({
  path: Path,
  bytes: Bytes,
  files: Type.Integer({ minimum: 0 }),
  /** Bytes of what can go that lie in it, by their ids: what goes is not moved. */
  within: Type.Array(closed({ id: FreeableId, bytes: Bytes }), { maxItems: 40 }),
});
/** Something that can go from a volume. No byte is in two of them. */
export type Freeable = Static<typeof FreeableShape>;
/** A personal folder that can be given another place, on another volume, by Windows itself. */
export type Movable = Static<typeof MovableShape>;

/** Least that is worth a line, in bytes. */
const LEAST = 64 * 2 ** 20;

/**
 * What can go from a volume first, the largest first, and which folders of people could move. Only what the document
 * names is offered.
 *
 * @param takenAt when the document was made: a year is counted back from it
 */
export function findFreeable(
  volume: VolumeHoldings,
  takenAt: Holdings['takenAt'],
): { goes: Freeable[]; moves: Movable[] } {
  const tree = new HoldingsTree(volume);
  const taken = new TakenBytes(tree);
  const goes = RULES.flatMap((rule) => {
    const places = placesOf(tree, taken, rule, takenAt).filter(({ bytes }) => bytes > 0);
    const bytes = places.reduce((sum, one) => sum + one.bytes, 0);
    if (bytes < LEAST) return [];
    places.sort((a, b) => b.bytes - a.bytes);
    const told = places.slice(0, MAX_PLACES).map((one) => ({ ...one, path: cut(one.path) }));
    return [{ id: rule.id, bytes, places: told }];
  });
  goes.sort((a, b) => b.bytes - a.bytes);
  return { goes, moves: movable(tree, taken, new Set(goes.map(({ id }) => id))) };
}

const cut = (path: string): string => takeFirstCharacters(path, MAX_PATH / 2);

type Places = Freeable['places'];

function placesOf(tree: HoldingsTree, taken: TakenBytes, rule: Rule, takenAt: string): Places {
  switch (rule.id) {
    case 'page-file':
      return pageFile(tree, taken);
    case 'restore-points':
      return restorePoints(tree, taken);
    case 'old-downloads':
      return oldDownloads(tree, taken, takenAt);
  }
  const folders = (rule.folders ?? []).flatMap((pattern) => tree.find(pattern));
  // The outer of two stands before the inner, which is then part of it.
  folders.sort((a, b) => a - b);
  return [
    ...folders.map((place) => ({ path: tree.pathOf(place), bytes: taken.folder(place, rule.id) })),
    ...filesAt(tree, rule.files ?? []).map((place) => ({
      path: tree.pathOfFile(tree.volume.files[place]!),
      bytes: taken.file(place, rule.id),
    })),
  ];
}

function filesAt(tree: HoldingsTree, paths: readonly string[]): number[] {
  const wanted = new Set(paths.map((path) => `\\${path}`.toLowerCase()));
  const names = new Set(paths.map((path) => path.split('\\').at(-1)!.toLowerCase()));
  return tree.volume.files.flatMap((file, place) =>
    names.has(file.name.toLowerCase()) && wanted.has(tree.pathOfFile(file).toLowerCase()) ? [place] : [],
  );
}

function pageFile(tree: HoldingsTree, taken: TakenBytes): Places {
  const [place] = filesAt(tree, ['pagefile.sys']);
  if (place === undefined || tree.volume.files[place]!.bytes <= LARGE_PAGE_FILE) return [];
  return [{ path: '\\pagefile.sys', bytes: Math.max(0, taken.file(place, 'page-file') - USUAL_PAGE_FILE) }];
}

/**
 * Areas of restore points: among the files of an image, told apart by their name; of a running machine asked for by
 * themselves.
 */
function restorePoints(tree: HoldingsTree, taken: TakenBytes): Places {
  const { volume } = tree;
  const areas = volume.files.flatMap((file, place) =>
    file.name.toLowerCase().includes(SHADOW_AREA) ? [place] : [],
  );
  const bytes =
    areas.length > 0
      ? areas.reduce((sum, place) => sum + taken.file(place, 'restore-points'), 0)
      : // What was asked for beside the folders lies where no folder could be read.
        Math.min(volume.restorePoints ?? 0, accountsOf(volume).other);
  return [{ path: '\\System Volume Information', bytes }];
}

function oldDownloads(tree: HoldingsTree, taken: TakenBytes, takenAt: string): Places {
  const before = new Date(Date.parse(takenAt) - OLD_DAYS * 86_400_000).toISOString().slice(0, 10);
  const folders = new Set(tree.find('Users\\*\\Downloads'));
  const isDownload = (file: HeldFile) => tree.upwards(file.in).some((folder) => folders.has(folder));
  return tree.volume.files.flatMap((file, place) =>
    file.bytes >= BIG_DOWNLOAD && lastUse(file) < before && isDownload(file)
      ? [{ path: tree.pathOfFile(file), bytes: taken.file(place, 'old-downloads') }]
      : [],
  );
}

/** The newest of a file's days; behind all others where it has none, so that it never counts as old. */
function lastUse({ created, changed, opened }: HeldFile): string {
  const days = [created, changed, opened].filter((day) => day !== null);
  return days.sort().at(-1) ?? '9';
}

function movable(tree: HoldingsTree, taken: TakenBytes, going: ReadonlySet<string>): Movable[] {
  const told = (place: number): string => cut(tree.pathOf(place));
  const seen = new Set<string>();
  return (
    PERSONAL.flatMap((name) => tree.find(`Users\\*\\${name}`))
      .filter((place) => tree.folder(place).bytes >= LARGE_PERSONAL)
      .sort((a, b) => tree.folder(b).bytes - tree.folder(a).bytes)
      // A document may name a folder twice: it goes by its path, which is then one folder's only.
      .filter((place) => !seen.has(told(place)) && seen.add(told(place)))
      .slice(0, MAX_MOVABLE)
      .map((place) => {
        const { bytes, files } = tree.folder(place);
        const within = Object.entries(taken.within(place))
          .filter(([id]) => going.has(id))
          .map(([id, taken]) => ({ id, bytes: taken }));
        return { path: told(place), bytes, files, within };
      })
  );
}

import { Type, type Static } from 'typebox';
import { closed } from '../shapes';
import type { Disk } from '../disk';
import { failure, success, type Outcome, type Problem } from '../problem';
import { VERDICTS } from './layoutProof';
import type { Manifest, ManifestHead } from './manifest';

/** Number of paths of each kind that are saved by name; the rest is counted. */
const NAMED = 200;

const Count = Type.Integer({ minimum: 0, maximum: 1e12 });
const Text = (maxLength: number) => Type.String({ maxLength });

const PathsShape = closed({
  count: Count,
  /** The first of them, in the order of their path. */
  named: Type.Array(Text(40_000), { maxItems: NAMED }),
});
export type Paths = Static<typeof PathsShape>;

/** The head of a manifest, with what it counts. */
const HeadShape = closed({
  takenAt: Type.String({ format: 'date-time' }),
  machine: Text(200),
  disks: Type.Array(Text(200), { maxItems: 100 }),
  folders: Type.Array(Text(1000), { maxItems: 100 }),
  files: Count,
  bytes: Type.Number({ minimum: 0 }),
});

/** Outcome for the files of some folders. */
export const FileProofShape = closed({
  verdict: Type.Enum(VERDICTS),
  before: HeadShape,
  after: HeadShape,
  same: Count,
  /** The same content under another path. */
  moved: Count,
  changed: PathsShape,
  missing: PathsShape,
  added: PathsShape,
  /** Could not be read before, or after. */
  unreadable: PathsShape,
});
export type FileProof = Static<typeof FileProofShape>;

/**
 * Compares what was there before with what is there after.
 * @param disks of the machine that was worked on
 * Problem codes: `other-machine`, `order` (the second is not later), `other-folders` (neither lies within the other).
 */
export function proveFiles(before: Manifest, after: Manifest, disks: readonly Disk[]): Outcome<FileProof> {
  const wrong = comparable(before.head, after.head, disks);
  return wrong ? failure(wrong) : success(compared(before, after));
}

type Head = Pick<ManifestHead, 'takenAt' | 'machine' | 'disks' | 'folders'>;

/** Why two manifests are not of the same machine before and after the work, or null. */
function comparable(before: Head, after: Head, disks: readonly Disk[]): Problem | null {
  const wrong = strange('before', before, disks) ?? strange('after', after, disks);
  if (wrong) return wrong;
  if (Date.parse(after.takenAt) <= Date.parse(before.takenAt)) {
    return {
      code: 'order',
      path: '/after',
      message: `The manifest given as the one after the work (${after.takenAt}) is not later than the one before it (${before.takenAt}). Are they the wrong way round?`,
    };
  }
  const folders = (head: Head): string => [...head.folders].sort().join(', ');
  // A volume that was joined to another is not there any more, and a new one was not there before: their files are
  // found by what they hold.
  const within = (some: Head, all: Head): boolean => some.folders.every((one) => all.folders.includes(one));
  if (
    before.folders.length * after.folders.length === 0
      ? folders(before) === folders(after)
      : within(before, after) || within(after, before)
  )
    return null;
  return {
    code: 'other-folders',
    path: '/after',
    message: `The two are of different folders: ${folders(before)} before, ${folders(after)} after. Make the second one of the same folders.`,
  };
}

function strange(which: 'before' | 'after', head: Head, disks: readonly Disk[]): Problem | null {
  const known = new Set(
    disks
      .flatMap((disk) => [disk.serial, disk.id])
      .filter((text) => text !== '')
      .map((text) => text.toUpperCase()),
  );
  if (known.size === 0 || head.disks.some((text) => known.has(text.replace(/[{}]/g, '').toUpperCase())))
    return null;
  return {
    code: 'other-machine',
    path: `/${which}`,
    message: `The manifest given as the one ${which} the work is of another machine: it is of ${head.machine}, with the disks ${head.disks.join(', ') || 'not known'}.`,
  };
}

/**
 * What does not hold together in an outcome that was compared elsewhere, or null: the manifests themselves stay where
 * they are, so this is what can be told without them. Every file of one side has exactly one fate. Problem codes: those
 * of {@link proveFiles}, and `figures`.
 */
export function findFileProofProblem(proof: FileProof, disks: readonly Disk[]): Problem | null {
  const { before, after, same, moved, changed, missing, added, unreadable } = proof;
  const head = comparable(before, after, disks);
  if (head) return head;
  const wrong = (message: string): Problem => ({ code: 'figures', path: '', message });
  for (const [name, paths] of Object.entries({ changed, missing, added, unreadable })) {
    if (paths.named.length > paths.count)
      return wrong(`It names ${paths.named.length} paths as ${name}, but counts ${paths.count}.`);
  }
  if (same + moved + changed.count + missing.count + unreadable.count !== before.files)
    return wrong('Its figures do not add up to the files that were there before.');
  if (same + moved + changed.count + added.count + unreadable.count !== after.files)
    return wrong('Its figures do not add up to the files that are there afterwards.');
  return proof.verdict === verdictOf(missing.count, changed.count + unreadable.count)
    ? null
    : wrong(`Its verdict is “${proof.verdict}”, which is not what its figures come to.`);
}

const verdictOf = (missing: number, doubtful: number): FileProof['verdict'] =>
  missing > 0 ? 'lost' : doubtful > 0 ? 'open' : 'proved';

function compared(before: Manifest, after: Manifest): FileProof {
  const changed: string[] = [];
  const missing: string[] = [];
  const unreadable: string[] = [];
  let same = 0;
  for (const [path, fact] of before.files) {
    const now = after.files.get(path);
    if (now === undefined) missing.push(path);
    else if (fact.startsWith('-') || now.startsWith('-')) unreadable.push(path);
    else if (now === fact) same++;
    else changed.push(path);
  }
  const added: string[] = [];
  for (const path of after.files.keys()) if (!before.files.has(path)) added.push(path);
  const moved = pairUp(before, after, missing, added);
  const still = missing.filter((path) => !moved.from.has(path));
  const fresh = added.filter((path) => !moved.to.has(path));
  return {
    verdict: verdictOf(still.length, changed.length + unreadable.length),
    before: headOf(before),
    after: headOf(after),
    same,
    moved: moved.from.size,
    changed: pathsOf(changed),
    missing: pathsOf(still),
    added: pathsOf(fresh),
    unreadable: pathsOf(unreadable),
  };
}

const headOf = ({ head, files, bytes }: Manifest): FileProof['before'] => ({
  takenAt: head.takenAt,
  machine: head.machine,
  disks: head.disks,
  folders: head.folders,
  files: files.size,
  bytes,
});

/** Missing files whose very content stands under a new path: they were moved or renamed, not lost. */
function pairUp(before: Manifest, after: Manifest, missing: readonly string[], added: readonly string[]) {
  const places = new Map<string, string[]>();
  for (const path of added) {
    const fact = after.files.get(path)!;
    if (!fact.startsWith('-')) places.set(fact, [...(places.get(fact) ?? []), path]);
  }
  const from = new Set<string>();
  const to = new Set<string>();
  for (const path of missing) {
    const place = places.get(before.files.get(path)!)?.pop();
    if (place === undefined) continue;
    from.add(path);
    to.add(place);
  }
  return { from, to };
}

const pathsOf = (paths: string[]): Paths => ({
  count: paths.length,
  named: [...paths].sort().slice(0, NAMED),
});

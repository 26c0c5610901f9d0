import { Type, type Static } from 'typebox';
import { LayoutProofShape, type LayoutProof } from '../../proof';
import { closed, Bytes, orNull } from '../../shapes';
import type { Problem } from '../../problem';
import type { Step } from '../../steps';
import type { Relocated } from '../plan';
import { listMadePlaces, findNewPlace, type MovedExtent } from './moved';
import { EXTENTS, type Holding, type Inventory } from './inventory';

const Sentence = Type.String({ maxLength: 4000 });
const Digest = Type.String({ maxLength: 64 });
const Place = closed({ first: Type.Integer({ minimum: 0 }), sectors: Type.Integer({ minimum: 0 }) });
const Listed = closed({ files: Type.Integer({ minimum: 0 }), bytes: Bytes, digest: Digest });

export const PROOF_VERDICTS = ['proved', 'differs'] as const;
const MAX_DIFFERENCES = 200;

/** The evidence that a route, carried out on bytes, lost nothing (contract: `gentle-tide/proof`). */
export const ExecutionProofShape = closed({
  format: Type.Literal('gentle-tide/proof'),
  version: Type.Literal(1),
  /** RFC 3339, UTC. */
  takenAt: Type.String({ format: 'date-time' }),
  verdict: Type.Enum(PROOF_VERDICTS),
  /** Extent of the reading for it; absent where everything in use was read. */
  extent: Type.Optional(Type.Enum(EXTENTS)),
  /** Power cuts that the run survived. */
  cuts: Type.Integer({ minimum: 0, maximum: 1_000_000 }),
  /** Sectors of the disk, before and after; 0: not known any more. */
  disk: closed({ before: Type.Integer({ minimum: 0 }), after: Type.Integer({ minimum: 0 }) }),
  steps: Type.Array(
    closed({
      verb: Sentence,
      partition: orNull(Type.Integer({ minimum: 0 })),
      /** Bytes that the route promised to copy, and bytes really written, tables and the like included. */
      promised: Bytes,
      written: Bytes,
      /** Relocations of a shrink: files, bytes, and their pieces before and now. */
      relocated: Type.Optional(
        closed({
          files: Type.Integer({ minimum: 0 }),
          bytes: Bytes,
          piecesBefore: Type.Integer({ minimum: 0 }),
          piecesAfter: Type.Integer({ minimum: 0 }),
        }),
      ),
    }),
    { maxItems: 200 },
  ),
  partitions: Type.Array(
    closed({
      before: orNull(Place),
      after: orNull(Place),
      /** Place after the route, as it says; null: gone. */
      promised: orNull(Place),
      /** No step is about it: every byte must be as it was. */
      untouched: Type.Boolean(),
      files: orNull(closed({ before: Listed, after: Listed })),
      /** Clusters that its file system counts as bad: they hold nothing, and were left alone. */
      bad: Type.Optional(Type.Integer({ minimum: 1 })),
      same: Type.Boolean(),
    }),
    { maxItems: 2048 },
  ),
  /**
   * The disk as surveyed afterwards, held against what a work sheet of the route promises; absent where there was no
   * survey.
   */
  layout: Type.Optional(LayoutProofShape),
  /** Differences, each in a sentence. */
  differences: Type.Array(Sentence, { maxItems: MAX_DIFFERENCES + 1 }),
});
export type ExecutionProof = Static<typeof ExecutionProofShape>;

export interface Proving {
  takenAt: string;
  steps: readonly Step[];
  /** null: what the disk held is not known any more. */
  before: Inventory | null;
  after: Inventory;
  /** Bytes that each step wrote. */
  written: readonly number[];
  /** Relocations of each step. */
  relocated: readonly (Relocated | null)[];
  cuts: number;
}

/** Holds what a disk held before a route against what it holds now. */
export function prove({
  takenAt,
  steps,
  before: known,
  after,
  written,
  relocated,
  cuts,
}: Proving): ExecutionProof {
  const differences: string[] = [];
  const before = known ?? { ...after, partitions: [] };
  const differs = (sentence: string) => {
    if (differences.length < MAX_DIFFERENCES) differences.push(sentence);
    else if (differences.length === MAX_DIFFERENCES) differences.push('And more of the same.');
  };
  const enlarged = steps.findLast((step) => step.verb === 'enlarge-disk');
  const sectors = enlarged?.verb === 'enlarge-disk' ? enlarged.diskSectors : before.sectors;
  if (!known) differs('The list of what the disk held before is lost, so nothing can be compared with it.');
  else if (after.sectors !== sectors) differs(`The disk has ${after.sectors} sectors, not ${sectors}.`);
  const found = new Set<Holding>();
  const partitions = before.partitions.map((held) => {
    const { place, touched, copied } = findNewPlace(steps, held);
    const now =
      after.partitions.find(
        (one) =>
          place && one.first === place.first && (one.kind === 'extended') === (held.kind === 'extended'),
      ) ?? null;
    if (now) found.add(now);
    const wrong = differencesOf(held, now, { place, touched, copied });
    wrong.forEach(differs);
    const listed = (one: Holding) =>
      one.manifest && { files: one.manifest.files, bytes: one.manifest.bytes, digest: one.manifest.digest };
    const files = now?.manifest && held.manifest ? { before: listed(held)!, after: listed(now)! } : null;
    return {
      before: placeOf(held),
      after: now && placeOf(now),
      promised: place,
      untouched: !touched,
      files,
      ...(held.bad > 0 ? { bad: held.bad } : {}),
      same: wrong.length === 0,
    };
  });
  for (const place of known ? listMadePlaces(steps) : []) {
    const made = after.partitions.find((one) => one.first === place.first && one.sectors === place.sectors);
    if (made) found.add(made);
    else differs(`No partition lies at sector ${place.first}, where the route makes one.`);
  }
  for (const one of known ? after.partitions : [])
    if (!found.has(one))
      differs(`A partition lies at sector ${one.first} that the route does not leave there.`);
  return {
    format: 'gentle-tide/proof',
    version: 1,
    takenAt,
    verdict: differences.length === 0 ? 'proved' : 'differs',
    extent: after.extent,
    cuts,
    disk: { before: known?.sectors ?? 0, after: after.sectors },
    steps: steps.map(({ verb, partition, bytesCopied }, i) => ({
      verb,
      partition,
      promised: bytesCopied,
      written: written[i] ?? 0,
      ...(relocated[i] ? { relocated: relocated[i] } : {}),
    })),
    partitions,
    differences,
  };
}

/** The same with what a survey taken afterwards shows; what is lost or wrong by it counts here as well. */
export function withLayout(proof: ExecutionProof, layout: LayoutProof): ExecutionProof {
  const grave = layout.differences
    .filter(({ grade }) => grade === 'lost' || grade === 'wrong')
    .map(({ what, promised, found }) => `${what}: ${promised} was promised, ${found} was found.`);
  const differences = [...proof.differences, ...grave].slice(0, MAX_DIFFERENCES);
  return { ...proof, layout, differences, verdict: differences.length === 0 ? 'proved' : 'differs' };
}

/**
 * What in a proof from elsewhere does not fit: it is of other steps, or its verdict is not what it says itself. Problem
 * codes: `wrong`, `differs`.
 */
export function findProofProblem(proof: ExecutionProof, steps: readonly Step[]): Problem | null {
  const told = proof.steps.map(({ verb, partition, promised }) => [verb, partition, promised].join());
  const wanted = steps.map(({ verb, partition, bytesCopied }) => [verb, partition, bytesCopied].join());
  if (told.join(';') !== wanted.join(';'))
    return { code: 'wrong', path: '/steps', message: 'Its proof is of other steps than the route has.' };
  const layout =
    proof.layout?.differences.some(({ grade }) => grade === 'lost' || grade === 'wrong') ?? false;
  const good = proof.differences.length === 0 && proof.partitions.every(({ same }) => same) && !layout;
  if (good !== (proof.verdict === 'proved'))
    return {
      code: 'differs',
      path: '/verdict',
      message: 'The verdict of its proof is not what the proof says.',
    };
  return null;
}

const placeOf = ({ first, sectors }: Holding) => ({ first, sectors });

function differencesOf(
  held: Holding,
  now: Holding | null,
  { place, touched, copied }: MovedExtent,
): string[] {
  const name = `The partition that was at sector ${held.first}`;
  if (!place) return [];
  if (!now) return [`${name} is not at sector ${place.first}, where the route leaves it.`];
  const wrong: string[] = [];
  if (now.sectors !== place.sectors) wrong.push(`${name} has ${now.sectors} sectors, not ${place.sectors}.`);
  if (!copied && now.kind !== held.kind) wrong.push(`${name} is no ${held.kind} partition any more.`);
  if (now.type !== held.type) wrong.push(`${name} has type ${now.type}, not ${held.type}.`);
  if (!touched && now.id !== held.id) wrong.push(`${name} has another GUID than it had.`);
  const differs = (before: string | null, after: string | null) => before !== null && before !== after;
  if (differs(held.untouched, now.untouched) || differs(held.content, now.content))
    wrong.push(`${name} does not hold what it held.`);
  if (held.manifest) wrong.push(...filesDiffer(name, held.manifest.facts, now.manifest?.facts ?? null));
  return wrong;
}

function filesDiffer(
  name: string,
  before: Record<string, string>,
  now: Record<string, string> | null,
): string[] {
  if (!now) return [`${name}: its files can’t be listed any more.`];
  const wrong: string[] = [];
  for (const [path, fact] of Object.entries(before)) {
    if (!(path in now)) wrong.push(`${name}: ${path} is gone.`);
    else if (now[path] !== fact) wrong.push(`${name}: ${path} is not as it was.`);
  }
  for (const path of Object.keys(now))
    if (!(path in before)) wrong.push(`${name}: ${path} was not there before.`);
  return wrong;
}

import { bytesOf, endOf, areSameExtents, nameInSentence, type Extent } from '../disk';
import { listOffersInGap } from '../drawing';
import { executeIntent, gapsOf, layoutOf, type Intent, type Layout } from '../steps';
import { formatSize, GIB } from '../units';
import type { Ask, MovableFolder, NewVolume, WayOut } from './wayOut';

/** Less than this is no volume that anybody would thank for. Bytes. */
const LEAST = 4 * GIB;
/** Free room in it beside what is proposed to move there. */
const STAYS_FREE = 0.15;
const LABEL = 'Files';

/**
 * The largest unallocated room made a volume of its own, with what could move there; null: there is none worth it, or
 * it is in reach.
 */
export function offerNewVolume({ task, kit, found }: Ask): WayOut | null {
  const { disk, target } = task;
  const start = layoutOf(disk, task.outside);
  const relocated = areSameExtents(disk.usable, disk.usableRelocated)
    ? null
    : withTable(start, { task, kit });
  const rooms = [
    ...bedsOf(start).map((bed) => ({ bed, layout: start, first: [] as Intent[] })),
    ...(relocated ? bedsOf(relocated).map((bed) => ({ bed, layout: relocated, first: [TABLE] })) : []),
  ];
  const best = rooms
    .filter(({ bed }) => bed.first !== endOf(target) && bytesOf(disk, bed) >= LEAST)
    .reduce<(typeof rooms)[number] | null>(
      (most, one) => (most === null || one.bed.sectors > most.bed.sectors ? one : most),
      null,
    );
  if (!best) return null;
  const offer = listOffersInGap(task, kit, best.layout, best.bed).find(({ id }) => id === 'create');
  const intent = offer?.intents[0];
  if (intent?.verb !== 'create') return null;
  const made: Intent = { ...intent, create: { ...intent.create, label: LABEL } };
  const bytes = bytesOf(disk, intent.to);
  const name = nameInSentence(target);
  const folders = (found?.moves ?? [])
    .map(({ path, bytes: held, within }) => ({
      path,
      bytes: Math.max(0, held - within.reduce((sum, one) => sum + one.bytes, 0)),
    }))
    .filter((one) => one.bytes > 0)
    .sort((a, b) => b.bytes - a.bytes);
  const makes: NewVolume = {
    intents: [...best.first, made],
    partition: intent.partition,
    bytes,
    folders,
    proposed: fitting(folders, Math.min(bytes * (1 - STAYS_FREE), target.volume?.used ?? 0)),
  };
  return {
    code: 'new-volume',
    title: `Use the ${formatSize(bytes)} as a volume of its own`,
    detail: `${name} keeps its size and gets free room: what people keep moves to a new volume where the room lies. Nothing is moved or resized. ${
      folders.length > 0
        ? 'Windows itself gives these folders their new place:'
        : found
          ? 'No folder of people was found that is worth moving; programs can put what they keep there.'
          : `Which folders could move there is known once it is known what fills ${name}.`
    }`,
    reason: offer?.reason ?? '',
    makes,
  };
}

const TABLE: Intent = { verb: 'relocate-table' };

function withTable(layout: Layout, { task, kit }: Pick<Ask, 'task' | 'kit'>): Layout | null {
  const executed = executeIntent({ terms: task, kit, layout }, TABLE);
  return executed.ok ? executed.value.after : null;
}

/** Unallocated extents, those inside the extended partition as well. */
function bedsOf(layout: Layout): Extent[] {
  const frame = layout.partitions.find(({ kind }) => kind === 'extended');
  const drives = layout.partitions.filter(({ kind }) => kind === 'logical');
  const inside = frame
    ? gapsOf({ usable: { first: frame.first, sectors: frame.sectors }, partitions: asPrimaries(drives) })
    : [];
  return [...gapsOf(layout), ...inside];
}

const asPrimaries = (drives: Layout['partitions']): Layout['partitions'] =>
  drives.map((one) => ({ ...one, kind: 'primary' as const }));

/** The largest folders first, as long as the new volume keeps some room of its own. */
function fitting(folders: readonly MovableFolder[], most: number): string[] {
  let left = most;
  return folders.flatMap((one) => {
    if (one.bytes > left) return [];
    left -= one.bytes;
    return [one.path];
  });
}

/** The steps of a new volume with what was chosen to move there. */
export const makeSteps = (
  target: number,
  { intents, partition, folders }: NewVolume,
  chosen: readonly string[],
): Intent[] => {
  const going = folders.filter(({ path }) => chosen.includes(path));
  return going.length === 0
    ? intents
    : [...intents, { verb: 'move-folders', partition: target, into: partition, folders: going }];
};

import {
  creationOf,
  nameFolder,
  nextNumber,
  resolve,
  type Intent,
  type Layout,
  findPartitionNow,
} from '../steps';
import { canConvert, type Kit } from '../tools';
import type { Task } from '../planning';
import {
  alignment,
  bytesOf,
  endOf,
  plainName,
  areSameExtents,
  nameInSentence,
  type Extent,
  type Partition,
} from '../disk';
import { roundDown, roundUp } from '../units';
import { reachOf } from './reach';

/** Something that can be done by hand, or why it can't be: nothing is left out for being impossible. */
export interface Offer {
  id: string;
  label: string;
  /** The steps that do it; of a deletion the word is still to be given. */
  intents: Intent[];
  /** Why it can't be done here; empty where it can. */
  reason: string;
  /** A deletion asks for the owner's word; where files are lost for the name of the volume as well. */
  asks?: { word: true; name: string | null };
}

/** All that can be done to a partition at some result of a drawing, besides bringing its ends somewhere. */
export function listOffers(task: Task, kit: Kit, layout: Layout, partition: Partition): Offer[] {
  const { number } = partition;
  const offer = (id: string, label: string, ...intents: Intent[]): Offer => ({
    id,
    label,
    intents,
    reason: reasonOf(task, kit, layout, intents),
  });
  const offers = [filling(task, kit, layout, partition), least(task, kit, layout, partition)];
  offers.push(deletion(task, kit, layout, partition));
  if (partition.role === 'recovery')
    offers.push(offer('set-aside', 'Set aside', { verb: 'set-aside', partition: number }));
  if (partition.volume?.encryption.state !== 'off' && partition.volume) {
    offers.push(offer('decrypt', 'Decrypt', { verb: 'decrypt', partition: number }));
  }
  if (canConvert(partition))
    offers.push(offer('convert', 'Convert to NTFS', { verb: 'convert-volume', partition: number }));
  if (number === task.target.number) offers.push(...comingToJoin(task, kit, layout, number));
  if (partition.role !== 'data' || partition.kind === 'extended') return offers;
  if (number !== task.target.number && !layout.made.has(number))
    offers.push(
      offer('join', `Copy files into a folder of ${plainName(task.target)}`, {
        verb: 'join',
        partition: number,
        into: task.target.number,
        folder: nameFolder(partition),
      }),
    );
  const places = [...layout.outside.keys()];
  for (const place of places) {
    offers.push(
      offer(`out ${place}`, `Copy files to ${place}`, {
        verb: 'copy',
        partition: number,
        into: { outside: place },
      }),
    );
  }
  if (places.length === 0) {
    const reason = 'No outside place is known: name one on the Target screen.';
    offers.push({ id: 'out', label: 'Copy files out', intents: [], reason });
  }
  for (const one of empties(task, layout)) {
    if (one.number === number) continue;
    const into = { partition: one.number };
    offers.push(
      offer(`into ${one.number}`, `Copy files to ${plainName(one)}`, {
        verb: 'copy',
        partition: number,
        into,
      }),
    );
  }
  return layout.made.has(number) ? [...offers, ...comingBack(task, kit, layout, number)] : offers;
}

/** Volumes that the drawing made and that hold nothing yet. */
const empties = (task: Task, layout: Layout): Partition[] =>
  layout.partitions.filter((one) => layout.made.has(one.number) && one.volume?.used === 0);

function comingBack(task: Task, kit: Kit, layout: Layout, number: number): Offer[] {
  return [...layout.outside.keys()].flatMap((place) =>
    [...new Set(layout.copied)].flatMap((of): Offer[] => {
      const source = task.disk.partitions.find((one) => one.number === of);
      if (!source || layout.holds.has(of)) return [];
      const intents: Intent[] = [{ verb: 'copy-back', partition: number, of, fromOutside: place }];
      const label = `Copy the files of ${plainName(source)} back from ${place}`;
      return [{ id: `back ${of} ${place}`, label, intents, reason: reasonOf(task, kit, layout, intents) }];
    }),
  );
}

/** Files that wait at an outside place, as a folder of the target. */
const comingToJoin = (task: Task, kit: Kit, layout: Layout, number: number): Offer[] =>
  [...layout.outside.keys()].flatMap((place) =>
    task.disk.partitions
      .filter((one) => task.mayJoin.has(one.number) && layout.copied.includes(one.number))
      .filter((one) => !layout.holds.has(one.number))
      .map((source): Offer => {
        const intents: Intent[] = [
          {
            verb: 'join-back',
            partition: number,
            of: source.number,
            fromOutside: place,
            folder: nameFolder(source),
          },
        ];
        const label = `Copy the files of ${plainName(source)} from ${place} into a folder`;
        return {
          id: `join ${source.number} ${place}`,
          label,
          intents,
          reason: reasonOf(task, kit, layout, intents),
        };
      }),
  );

const reasonOf = (task: Task, kit: Kit, layout: Layout, intents: readonly Intent[]): string => {
  const first = intents[0];
  const resolved = first && resolve({ terms: task, kit, layout }, first);
  return resolved && !resolved.ok ? resolved.problems[0]!.message : '';
};

/** Extends into everything in reach. */
function filling(task: Task, kit: Kit, layout: Layout, partition: Partition): Offer {
  const label = 'Extend into all in reach';
  const { at, ranges, stops } = reachOf(task, kit, layout, partition, 'right');
  const end = roundDown(ranges[0]!.most, alignment(task.disk));
  if (end <= at) return { id: 'fill', label, intents: [], reason: stops.most };
  const to = { first: partition.first, sectors: end - partition.first };
  const intents: Intent[] = [{ verb: 'extend', partition: partition.number, to }];
  return { id: 'fill', label, intents, reason: reasonOf(task, kit, layout, intents) };
}

/** Shrinks as far as the best tool of the kit does. */
function least(task: Task, kit: Kit, layout: Layout, partition: Partition): Offer {
  const label = 'Shrink as far as it goes';
  const { at, ranges, stops } = reachOf(task, kit, layout, partition, 'right');
  const end = partition.first + roundUp(ranges[0]!.least - partition.first, alignment(task.disk));
  if (end >= at) return { id: 'least', label, intents: [], reason: stops.least };
  const to = { first: partition.first, sectors: end - partition.first };
  const intents: Intent[] = [{ verb: 'shrink', partition: partition.number, to }];
  return { id: 'least', label, intents, reason: reasonOf(task, kit, layout, intents) };
}

function deletion(task: Task, kit: Kit, layout: Layout, partition: Partition): Offer {
  const { number, volume } = partition;
  const copied = layout.copied.includes(number);
  const empty = layout.made.has(number) && volume?.used === 0;
  const intents: Intent[] = [{ verb: 'delete', partition: number, word: copied || empty ? '' : 'asked' }];
  const holds = !copied && !empty && volume !== null && volume.used !== 0;
  return {
    id: 'delete',
    label: 'Delete',
    intents,
    reason: reasonOf(task, kit, layout, intents),
    ...(copied || empty ? {} : { asks: { word: true, name: holds ? plainName(partition) : null } }),
  };
}

/** Offers in a dry bed. */
export function listOffersInGap(task: Task, kit: Kit, layout: Layout, bed: Extent): Offer[] {
  const { disk } = task;
  const slot = alignment(disk);
  const frame = layout.partitions.find((one) => one.kind === 'extended');
  const inside = frame !== undefined && bed.first >= frame.first && endOf(bed) <= endOf(frame);
  const first = roundUp(bed.first, slot) + (inside ? slot : 0);
  const to = { first, sectors: roundDown(endOf(bed), slot) - first };
  const offers: Offer[] = [];
  const add = (id: string, label: string, intent: Intent): void => {
    const tight = to.sectors <= 0 ? 'There is no whole MiB free here.' : '';
    offers.push({ id, label, intents: [intent], reason: tight || reasonOf(task, kit, layout, [intent]) });
  };
  const create = {
    type: DATA_TYPE[disk.table],
    attributes: '0x0000000000000000',
    name: '',
    fileSystem: 'ntfs',
    clusterSize: 4096,
    label: 'New volume',
  } as const;
  add('create', 'New volume, as large as it gets', {
    verb: 'create',
    partition: nextNumber(disk, layout),
    to,
    create,
  });
  for (const one of task.disk.partitions) {
    const like = one.role === 'data' && one.volume && !layout.holds.has(one.number);
    if (!like || to.sectors < one.sectors) continue;
    const size = { first, sectors: one.sectors };
    const named = { ...creationOf(one) };
    add(`create ${one.number}`, `New volume like ${plainName(one)}`, {
      verb: 'create',
      partition: nextNumber(disk, layout),
      to: size,
      create: named,
    });
  }
  for (const one of layout.aside) {
    const size = { first, sectors: Math.min(to.sectors, one.sectors) };
    add(`put-back ${one.number}`, `Put ${plainName(one)} back here`, {
      verb: 'put-back',
      partition: one.number,
      to: size,
    });
  }
  return offers;
}

const DATA_TYPE = { gpt: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7', mbr: '0x07' } as const;

/** Offers for the disk as a whole, where there are any. */
export function listOffersOnDisk(task: Task, kit: Kit, layout: Layout): Offer[] {
  const { disk } = task;
  const { usable, relocated } = layout;
  const offers: Offer[] = [];
  if (!areSameExtents(usable, relocated)) {
    const intents: Intent[] = [{ verb: 'relocate-table' }];
    offers.push({
      id: 'relocate',
      label: 'Move the backup table to the end',
      intents,
      reason: reasonOf(task, kit, layout, intents),
    });
  }
  const target = findPartitionNow(layout, task.target.number);
  if (disk.media === 'virtual' && target && task.size !== 'max') {
    const missing = task.size - bytesOf(disk, target);
    const more = roundUp(Math.max(0, missing) / disk.sectorSize, alignment(disk));
    const intents: Intent[] = [{ verb: 'enlarge-disk', diskSectors: disk.sectors + more }];
    const reason =
      more === 0 ? `${nameInSentence(target)} has the size asked for.` : reasonOf(task, kit, layout, intents);
    offers.push({ id: 'enlarge', label: 'Enlarge the disk by what is missing', intents, reason });
  }
  return offers;
}

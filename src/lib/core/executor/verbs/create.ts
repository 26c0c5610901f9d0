import { alignment } from '../../disk';
import { type Outcome, refusal, success } from '../../problem';
import type { Creation, StepOf } from '../../steps';
import { formatVolume } from '../format/formatted';
import type { Operation } from '../plan';
import { findFreeSlot, withEntry } from '../table/gptImage';
import { mbrAdded } from '../table/mbrImage';
import type { PlanContext, Planned } from './ground';

/** An empty file system where nothing lies, and only then an entry that leads to it. */
export async function planCreate(ground: PlanContext, step: StepOf<'create'>): Promise<Planned> {
  const { create, to, partition } = step;
  const possible = await formatVolume(create, to, ground.disk.sectorSize, partition);
  if (!possible.ok) return possible;
  const entry = await makeEntry(ground, create, to);
  return entry.ok ? success({ operations: [...emptyVolume(step, 'forward'), ...entry.value] }) : entry;
}

/** The file system of a volume that a step makes, now or when a step after it is taken back. */
export const emptyVolume = (
  { create, to: { first, sectors }, partition }: StepOf<'create'>,
  when: 'forward' | 'back',
): Operation[] =>
  create.fileSystem === 'unknown'
    ? []
    : [{ op: 'format', when, volume: create, first, sectors, seed: partition }];

/** One more entry of the table, on GPT under a GUID of its own. Problem code: `table-full`. */
export async function makeEntry(
  { disk, table, newId }: PlanContext,
  create: Creation,
  to: { first: number; sectors: number },
): Promise<Outcome<Operation[]>> {
  const full = refusal('table-full', 'The partition table has no entry left.');
  if (table.kind === 'mbr') {
    const added = await mbrAdded(disk, table.mbr, { type: Number(create.type), ...to }, alignment(disk));
    return added ? success([{ op: 'change', on: 'disk', groups: added }]) : full;
  }
  const slot = findFreeSlot(table.gpt);
  if (slot === null) return full;
  const made = {
    type: create.type,
    id: newId(),
    first: to.first,
    last: to.first + to.sectors - 1,
    attributes: BigInt(create.attributes),
    name: create.name,
  };
  return success([{ op: 'table', before: table.gpt.image, after: withEntry(table.gpt, { slot, made }) }]);
}

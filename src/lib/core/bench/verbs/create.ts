import { alignment } from '../../disk';
import { success, type Outcome } from '../../problem';
import type { Creation, StepOf } from '../../steps';
import { formatted } from '../format/formatted';
import type { Laid, Operation } from '../plan';
import { freeSlot, withEntry } from '../table/gptImage';
import { mbrAdded } from '../table/mbrImage';
import { refused, type Ground, type Planned } from './ground';

/** An empty file system where nothing lies, and only then an entry that leads to it. */
export async function planCreate(ground: Ground, step: StepOf<'create'>): Promise<Planned> {
  const laid = await emptyVolume(ground, step);
  if (!laid.ok) return laid;
  const entry = await newEntry(ground, step.create, step.to);
  if (!entry.ok) return entry;
  const format: Operation[] =
    laid.value.length > 0 ? [{ op: 'lay', when: 'forward', on: 'disk', laid: laid.value }] : [];
  return success({ operations: [...format, ...entry.value] });
}

/** The file system of a volume that a step makes: the same whenever it is asked for. Problem codes: those of `formatted`. */
export const emptyVolume = (
  { disk }: Ground,
  { create, to, partition }: StepOf<'create'>,
): Promise<Outcome<Laid[]>> =>
  formatted(create, to, disk.sectorSize, { time: CREATED, seed: to.first + partition });

/** No clock is asked, so that a step that is begun again writes the same. */
const CREATED = Date.UTC(2026, 0, 1);

/** One more entry of the table, on GPT under a GUID of its own. Problem code: `table-full`. */
export async function newEntry(
  { disk, table, newId }: Ground,
  create: Creation,
  to: { first: number; sectors: number },
): Promise<Outcome<Operation[]>> {
  const full = refused('table-full', 'The partition table has no entry left.');
  if (table.kind === 'mbr') {
    const added = await mbrAdded(disk, table.mbr, { type: Number(create.type), ...to }, alignment(disk));
    return added ? success([{ op: 'change', on: 'disk', groups: added }]) : full;
  }
  const slot = freeSlot(table.gpt);
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

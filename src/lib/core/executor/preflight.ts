import { contains, endOf, overlaps, TYPE, type Extent } from '../disk';
import type { Problem } from '../problem';
import type { Step } from '../steps';
import type { Device } from './devices/device';
import { listPartitionsNow, type PartitionNow, type TableNow } from './table/tableNow';
import { nameOf, noEnlargement, partitionOf } from './verbs/ground';
import { explainNotExecuted } from './rehearsable';
import { kindOf } from './volumes/usedExtents';
import { isEncryptedVolume } from '../volumes/encrypted';
import { describeEncryptedProblem, unsound } from './volumes/sound';
import { slice } from '../images/source';

/**
 * What speaks against a route before anything is written: a step that is not carried out here, a partition that is not
 * where the route expects it, a place that is not free, a volume that must not be touched. A hibernated system holds
 * every volume of its machine, so all of them are looked at.
 *
 * Problem codes: `not-yet`, `other-disk`, `elsewhere`, `not-free`, `no-enlargement`, and those of `unsound`. Paths lead
 * to the step.
 */
export async function checkBeforeRun(
  disk: Device,
  table: TableNow,
  steps: readonly Step[],
): Promise<Problem[]> {
  const layout = listPartitionsNow(table).map((one) => ({ ...one, number: null as number | null }));
  const first = [...layout];
  const numbered = new Map<number, PartitionNow | null>();
  let end = Math.floor(disk.size / disk.sectorSize);
  for (const [i, step] of steps.entries()) {
    const at = (problem: Problem): Problem[] => [{ ...problem, path: `/steps/${i}` }];
    if (step.verb === 'enlarge-disk') {
      if (step.diskSectors <= end) return at(noEnlargement);
      end = step.diskSectors;
    }
    const known = step.partition === null ? undefined : numbered.get(step.partition);
    const subject = known !== undefined ? known : step.from ? found(table, step) : null;
    if (subject && 'code' in subject) return at(subject);
    const partition = subject as PartitionNow | null;
    const fileSystem =
      partition && partition.kind !== 'extended' ? await kindAt(disk, first, partition.key) : null;
    if (fileSystem === 'encrypted' && step.verb !== 'delete')
      return at(describeEncryptedProblem(nameOf(step)));
    const not = explainNotExecuted(step.verb, fileSystem);
    if (not)
      return at({
        code: 'not-yet',
        path: '',
        message: `In step ${i + 1} ${not}, which is not carried out so far.`,
      });
    if (
      partition &&
      step.from &&
      (partition.first !== step.from.first || partition.sectors !== step.from.sectors)
    )
      return at({
        code: 'elsewhere',
        path: '',
        message: `Step ${i + 1} expects ${nameOf(step)} in another place than the steps before it leave.`,
      });
    const to = 'to' in step ? step.to : null;
    const problem = to && notFree(layout, partition, to, end, step, i);
    if (problem) return at(problem);
    if (step.partition === null) continue;
    const index = layout.findIndex((one) => one.key === partition?.key);
    if (to && partition) {
      layout[index] = { ...layout[index]!, ...to };
      numbered.set(step.partition, layout[index]!);
    } else if (to) {
      const frame = layout.find((one) => one.kind === 'extended');
      const kind = frame && contains(frame, to) ? 'logical' : 'primary';
      const made: PartitionNow = { key: `made-${i}`, id: null, kind, type: '', ...to };
      layout.push({ ...made, number: step.partition });
      numbered.set(step.partition, made);
    } else if (step.from && index >= 0) {
      layout.splice(index, 1);
      numbered.set(step.partition, null);
    }
  }
  return touched(disk, table, steps);
}

function found(table: TableNow, step: Step): PartitionNow | Problem {
  const partition = partitionOf(table, step, []);
  return partition.ok ? partition.value : partition.problems[0];
}

async function kindAt(disk: Device, all: readonly PartitionNow[], key: string): Promise<string | null> {
  const partition = all.find((one) => one.key === key);
  if (!partition) return null;
  const content = bytes(disk, partition);
  const boot = await content.read(0, Math.min(512, content.size));
  return boot.length === 512 && (await isEncryptedVolume(content, boot)) ? 'encrypted' : kindOf(content);
}

const bytes = (disk: Device, { first, sectors }: Extent) =>
  slice(disk, first * disk.sectorSize, sectors * disk.sectorSize);

/** A step's new place lies on the disk, in no other partition but its own and, for a logical drive, its frame. */
function notFree(
  layout: readonly PartitionNow[],
  partition: PartitionNow | null,
  to: Extent,
  end: number,
  step: Step,
  index: number,
): Problem | null {
  const frame = layout.find((one) => one.kind === 'extended');
  const inside = partition ? partition.kind === 'logical' : frame !== undefined && contains(frame, to);
  const hit = layout.find(
    (one) =>
      one.key !== partition?.key &&
      (partition?.kind === 'extended' ? one.kind === 'primary' : (one.kind === 'logical') === inside) &&
      overlaps(one, to),
  );
  const message = hit
    ? `Step ${index + 1} would put ${nameOf(step)} where another partition lies (from sector ${hit.first}).`
    : to.first < 1 || endOf(to) > end
      ? `Step ${index + 1} would put ${nameOf(step)} beyond the end of the disk.`
      : null;
  return message === null ? null : { code: 'not-free', path: '', message };
}

async function touched(disk: Device, table: TableNow, steps: readonly Step[]): Promise<Problem[]> {
  for (const partition of listPartitionsNow(table)) {
    if (partition.kind === 'extended' || partition.type === TYPE.reserved) continue;
    const index = steps.findIndex(
      (step) => step.verb !== 'delete' && step.from !== null && isOf(step, partition),
    );
    const name = index < 0 ? `The partition at sector ${partition.first}` : nameOf(steps[index]!);
    const problem = await unsound(bytes(disk, partition), disk.sectorSize, name, false);
    if (!problem || (index < 0 && problem.code !== 'hibernated')) continue;
    return [{ ...problem, path: `/steps/${Math.max(0, index)}` }];
  }
  return [];
}

const isOf = (step: Step, partition: PartitionNow): boolean =>
  step.id && partition.id
    ? step.id.toUpperCase() === partition.id
    : step.from !== null && step.from.first === partition.first && step.from.sectors === partition.sectors;

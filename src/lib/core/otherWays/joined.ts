import { bytesOf, nameInSentence, type Partition } from '../disk';
import { isJoinedBy, type JoinPattern, type Task } from '../planning';
import { joinNames, joinRoom } from '../steps';
import { canCopy, isEncrypted, isLocked } from '../tools';
import { formatSize } from '../units';
import type { Ask, Joinable, WayOut } from './wayOut';

/**
 * Volumes that are looked at, those that lie nearest to the target: each is tried with every kit and every outside
 * place.
 */
const MOST = 12;

/** The data volumes of the disk that could be joined to the target; null: there is none. */
export function offerJoinedVolumes({ task }: Ask): WayOut | null {
  const { disk, target } = task;
  const volumes = disk.partitions
    .filter((one) => one.role === 'data' && one.kind !== 'extended' && one !== target)
    .sort((a, b) => Math.abs(a.first - target.first) - Math.abs(b.first - target.first))
    .slice(0, MOST)
    .map((source) => joinable(task, source))
    .sort((a, b) => Number(b.can) - Number(a.can));
  const [only] = volumes;
  if (!only) return null;
  const into = nameInSentence(target);
  const which = volumes.length === 1 ? only.name : 'a data volume';
  return {
    code: 'join',
    title: `Join ${which} to ${into}`,
    detail: `Its files go into a folder of ${into}; then it is deleted, and its room can go to ${into}. Its letter is gone with it: whatever names that letter has to be set anew.`,
    reason: '',
    volumes,
  };
}

function joinable(task: Task, source: Partition): Joinable {
  const used = source.volume?.used ?? null;
  const base = {
    partition: source.number,
    name: nameInSentence(source),
    used,
    bytes: bytesOf(task.disk, source),
  };
  const not = whyNot(task.target, source);
  if (not) return { ...base, says: not, can: false };
  const kitsFor = (pattern: JoinPattern) =>
    task.kits.filter((kit) => isJoinedBy(pattern, task, kit, source.number));
  const can = (pattern: JoinPattern): boolean =>
    task.kits.some((kit) => isJoinedBy(pattern, task, kit, source.number));
  const into = nameInSentence(task.target);
  if (can('now')) return { ...base, says: `${into} has the room for its files now.`, can: true };
  const free = task.target.volume!.size - task.target.volume!.used!;
  const short = `${into} has ${formatSize(free)} free, and ${formatSize(joinRoom(used!))} are needed`;
  const extending = kitsFor('extended').map(({ name }) => name);
  const ways = [
    ...(extending.length > 0 ? [`it is extended first (${joinNames(extending)})`] : []),
    ...(can('outside') ? ['the files wait on another disk meanwhile'] : []),
  ];
  if (ways.length > 0) return { ...base, says: `${short}: ${ways.join(', or ')}.`, can: true };
  const says = `${short}. With room for its files on another disk it goes: name that on the Target screen.`;
  return { ...base, says, can: false };
}

function whyNot(target: Partition, source: Partition): string {
  const [name, into] = [nameInSentence(source), nameInSentence(target)];
  if (target.volume?.fileSystem !== 'ntfs')
    return `${into} is not NTFS: permissions and large files would be lost in it.`;
  if (target.volume.used === null || source.volume?.used == null)
    return 'How much is in use is not known: survey it again.';
  if (isLocked(source)) return `${name} is locked. Unlock it, and survey it again.`;
  return canCopy(source, { decrypted: isEncrypted(source) }) ? '' : `The files of ${name} can’t be read.`;
}

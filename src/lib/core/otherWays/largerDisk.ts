import { nameInSentence } from '../disk';
import { planOntoDisk, planOnto, countSectorsSold, withBought } from '../newDisk';
import { isEncrypted } from '../tools';
import { formatSize } from '../units';
import type { Ask, WayOut } from './wayOut';

/** A disk on which there is room in any case, GB: what forbids going there forbids going anywhere. */
const LARGE = 8000;

/** Everything brought to a larger disk: one that the survey has beside this one, or one to be bought. */
export function offerLargerDisk({ task }: Ask): WayOut {
  const { machine, disk, target } = task;
  const name = nameInSentence(target);
  const beside = machine.disks.flatMap(({ number, model }) => {
    const onto = planOntoDisk(task, number);
    const plan = onto.ok ? planOnto(onto.value) : onto;
    return plan.ok ? [{ called: `disk ${number}${model ? ` (${model})` : ''}`, size: plan.value.size }] : [];
  });
  const [best] = beside.sort((a, b) => b.size - a.size);
  const base: Pick<WayOut, 'code' | 'title' | 'leads'> = {
    code: 'larger-disk',
    title: 'Move to a larger disk',
    leads: 'larger-disk',
  };
  const what = `Everything goes to another disk, ${name} with all the room that is left over there. The old disk is only read, and stays the way back.`;
  const where = best
    ? `On ${best.called}, which is connected and empty, ${name} would have ${formatSize(best.size)}.`
    : 'No empty larger disk is connected; how long each size that is sold would last can be seen.';
  const bought = withBought(task, countSectorsSold(LARGE, disk.sectorSize));
  const onto = planOntoDisk(bought.task, bought.number);
  const encrypted = disk.partitions.find(isEncrypted);
  const reason = encrypted
    ? `${nameInSentence(encrypted)} is encrypted: movers leave it alone until it is fully decrypted.`
    : onto.ok
      ? ''
      : onto.problems[0]!.message;
  return { ...base, detail: `${what} ${where}`, reason };
}

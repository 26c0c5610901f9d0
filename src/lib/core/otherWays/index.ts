import { convertedTable, convertedVolume } from './converted';
import { joinedVolumes } from './joined';
import { largerDisk } from './largerDisk';
import { newVolume } from './newVolume';
import type { Ask, WayOut } from './wayOut';

export { tableHoldsBack } from './converted';
export { stepsWith } from './newVolume';
export type { Allows, Ask, NewVolume, WayOut } from './wayOut';

/**
 * Every other way out of this disk's trouble, those that can't be done with the reason; none where what blocks
 * everything blocks them as well.
 */
export function otherWays(ask: Ask): WayOut[] {
  if (ask.task.blocks.some(({ code }) => code !== 'cannot-grow')) return [];
  return [
    convertedVolume(ask),
    convertedTable(ask),
    newVolume(ask),
    joinedVolumes(ask),
    largerDisk(ask),
  ].filter((one) => one !== null);
}

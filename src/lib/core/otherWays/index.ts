import { offerConvertedTable, convertedVolume } from './converted';
import { offerJoinedVolumes } from './joined';
import { offerLargerDisk } from './largerDisk';
import { offerNewVolume } from './newVolume';
import type { Ask, WayOut } from './wayOut';

export { explainTableLimit } from './converted';
export { makeSteps } from './newVolume';
export type { Allows, Ask, NewVolume, WayOut } from './wayOut';

/**
 * Every other way out of this disk's trouble, those that can't be done with the reason; none where what blocks
 * everything blocks them as well.
 */
export function listOtherWays(ask: Ask): WayOut[] {
  if (ask.task.blocks.some(({ code }) => code !== 'cannot-grow')) return [];
  return [
    convertedVolume(ask),
    offerConvertedTable(ask),
    offerNewVolume(ask),
    offerJoinedVolumes(ask),
    offerLargerDisk(ask),
  ].filter((one) => one !== null);
}

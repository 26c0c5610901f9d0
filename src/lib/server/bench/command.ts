/** What the command line needs, in one piece: it is loaded in one go. */
export { textChart } from '$core/chart/text';
export { RouteShape } from '$core/planning/route';
export { formatSize, parseSize } from '$core/units';
export { faultOf } from '../schemas';
export { carryOut } from './carryOut';
export { planEnlarging } from './enlargeImage';
export { lockImage } from './imageLock';
export { filesOf } from './openDisk';

export { planRoutes, largestSize, type RoutesAnswer } from './answer';
export { taskOf, type RoutesRequest, type Task } from './request';
export type { Route, Totals } from './route';
export type { Step } from './steps';
export { gapsOf, layoutOf, layoutsAlong, type Layout } from './layout';
export { blocksFor, FILE_SYSTEM_NAME } from './blocks';
export { KEEP_NOTHING, spareOf } from './floors';
export { canExtend, canShrink, isEncrypted, KITS, OFFLINE_MOVER, WINDOWS, type Kit } from './tools';

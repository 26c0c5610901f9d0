export { planRoutes, largestSize, type RoutesAnswer } from './answer';
export { taskOf, type RoutesRequest, type Task } from './request';
export type { Route, Totals } from './route';
export type { Step, Verb } from './steps';
export { applyStep, gapsOf, layoutOf, layoutsAlong, type Layout } from './layout';
export { blocksFor, FILE_SYSTEM_NAME } from './blocks';
export { donorBound, KEEP_NOTHING, margin, offlineFloor, spareOf, type KeepFree } from './floors';
export { usedBeyond, moveBytes, exposedBytes } from './costs';
export {
  canExtend,
  canMove,
  canShrink,
  isEncrypted,
  KITS,
  OFFERED_KITS,
  OFFLINE_MOVER,
  WINDOWS,
  type Kit,
  type Tool,
} from './tools';
export { chainBehind, type Chain, type WallReason } from './chain';
export { cheapestPush, furthestEnd } from './orderKeeping';

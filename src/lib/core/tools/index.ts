export { bendsOfUse, decryptBytes, exposedBytes, moveBytes, usedBeyond } from './costs';
export {
  donorBound,
  isEstimated,
  KEEP_NOTHING,
  marginOf,
  offlineFloor,
  runningFloor,
  spareOf,
  type KeepFree,
} from './floors';
export {
  addTimes,
  copyTime,
  DEFAULT_RATES,
  NO_TIME,
  RatesShape,
  timesOver,
  type Rates,
  type Seconds,
} from './rates';
export { canConvert, conversionRoom, converted } from './conversion';
export { canFormat, cannotHave, WINDOWS_FAT32 } from './formats';
export { convertToGpt, tableConversion, type TableConversion } from './tableConversion';
export { sizeLimit, type SizeLimit } from './sizeLimit';
export { asideRoom, environmentHost, leastRecovery, recoveryBehind, recoveryInUse } from './recovery';
export { restartsAdded } from './restarts';
export {
  allTools,
  both,
  either,
  hasTool,
  NO_TOOLS,
  toolsIn,
  toolsThat,
  windowsAlone,
  without,
  type ToolSet,
} from './toolSet';
export {
  canCopy,
  canDecrypt,
  canExtend,
  canMove,
  canShrink,
  isConverting,
  isEncrypted,
  isLocked,
  LIVE_MOVER,
  movesAtRestart,
  OFFLINE_MOVER,
  READABLE,
  SHIPPED_KITS,
  SHIPPED_TOOLS,
  ToolShape,
  WINDOWS,
  type Kit,
  type Tool,
} from './tools';

export { findBendsOfUse, decryptBytes, exposedBytes, moveBytes, countUsedBeyond } from './costs';
export {
  donorBound,
  isEstimated,
  KEEP_NOTHING,
  marginOf,
  findOfflineFloor,
  findRunningFloor,
  spareOf,
  type KeepFree,
} from './floors';
export {
  addTimes,
  copyTime,
  DEFAULT_RATES,
  NO_TIME,
  RatesShape,
  multiplySeconds,
  type Rates,
  type Seconds,
} from './rates';
export { canConvert, getConversionRoom, converted } from './conversion';
export { canFormat, cannotHave, WINDOWS_FAT32 } from './formats';
export { convertToGpt, tableConversion, type TableConversion } from './tableConversion';
export { sizeLimit, type SizeLimit } from './sizeLimit';
export {
  findAsideRoom,
  findEnvironmentHost,
  computeLeastRecovery,
  recoveryBehind,
  findRecoveryInUse,
} from './recovery';
export { countRestartsAdded } from './restarts';
export {
  selectAllTools,
  both,
  either,
  hasTool,
  NO_TOOLS,
  listTools,
  selectTools,
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

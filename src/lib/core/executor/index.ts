export {
  checkRange,
  DeviceFailure,
  isZero,
  type Device,
  type OpenedDevice,
  type Stretch,
} from './devices/device';
export { MemoryDevice } from './devices/memory';
export { CountingDevice, FullDevice, ThrottledDevice, UnreadableDevice, Wrapped } from './devices/wrappers';
export { openQcow2Device } from './devices/qcow2';
export { makeDynamicVhd, openVhdDevice } from './devices/vhd';
export { openVhdxDevice } from './devices/vhdx';
export { openVmdkDevice, resizedDescription } from './devices/vmdk';
export { Plug, PluggedDevice, PowerCut, type Event } from './devices/powerCut';
export { headOn, Journal, type RunState } from './journal';
export { refusalsOf, RouteRun, type RunHooks, type RunProgress, type RunSetup } from './run';
export { benchProofProblem, prove, withLayout, BenchProofShape, type BenchProof } from './proof/prove';
export { EXTENTS, takeInventory, type Inventory, type InventoryOptions } from './proof/inventory';
export type { Hash, NewHash, NewStreamHash, StreamHash } from './proof/content';
export { cutsInWords, rehearsalLine } from './line';
export { checkNtfs } from './check/checkNtfs';
export { whyNotExecuted, playedOtherwise, whyNotRehearsed } from './rehearsable';

export {
  checkRange,
  DeviceFailure,
  isZero,
  type Device,
  type OpenedDevice,
  type Stretch,
} from './devices/device';
export { MemoryDevice } from './devices/memory';
export { ThrottledDevice } from './devices/wrappers';
export { openQcow2Device } from './devices/qcow2';
export { makeDynamicVhd, openVhdDevice } from './devices/vhd';
export { openVhdxDevice } from './devices/vhdx';
export { openVmdkDevice, resizedDescription } from './devices/vmdk';
export { readHead, Journal } from './journal';
export { refusalsOf, RouteRun, type RunProgress, type RunSetup } from './run';
export { findProofProblem, prove, withLayout, ExecutionProofShape, type ExecutionProof } from './proof/prove';
export { EXTENTS, takeInventory, type Inventory } from './proof/inventory';
export type { NewHash, NewStreamHash, StreamHash } from './proof/content';
export { describeCuts, describeRehearsal } from './line';
export { explainNotRehearsed } from './rehearsable';

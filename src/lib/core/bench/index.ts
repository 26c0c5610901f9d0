export { checkRange, DeviceFailure, isZero, type Device, type Stretch } from './devices/device';
export { MemoryDevice } from './devices/memory';
export { CountingDevice, FullDevice, ThrottledDevice, UnreadableDevice, Wrapped } from './devices/wrappers';
export { makeDynamicVhd, openVhdDevice, type DynamicVhd } from './devices/vhd';
export { Plug, PluggedDevice, PowerCut, type Event } from './devices/powerCut';
export { Journal, JournalDamage, JOURNAL_BYTES, type RunState } from './journal';
export { Run, type RunHooks, type RunProgress, type RunSetup } from './run';
export { notCarriedOut } from './verbs/planStep';

export type { GptEntry, GptTable } from './gpt';
export { readGpt, type GptReading } from './readGpt';
export { readMbr, type MbrPartition, type MbrTable } from './readMbr';
export { writeGpt, type Write } from './writeGpt';
export { guidToBytes, guidToText } from './guid';

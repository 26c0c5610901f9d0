export type { GptEntry, GptTable } from './gpt';
export { readTable, type TableReading } from './readTable';
export { readGpt, type GptReading } from './readGpt';
export type { MbrPartition, MbrTable } from './readMbr';
export { writeGpt, type Write } from './writeGpt';
export { guidToBytes, guidToText } from './guid';

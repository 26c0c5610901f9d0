export { KIB, MIB, GIB, TIB, roundUp, roundDown, multiplyDivideUp } from './bytes';
export { formatExactly, formatCount, formatSize, formatMib, formatShare, formatDuration } from './format';
export { parseSize, type SizeEntry, type SizeReading } from './parse';
export { readGoal, type GoalFrame, type GoalReading } from './goal';

export { KIB, MIB, GIB, TIB, roundUp, roundDown, mulDivCeil } from './bytes';
export { exactText, formatCount, formatSize, formatMib, formatShare, formatDuration } from './format';
export { parseSize, type SizeEntry, type SizeReading } from './parse';
export { readGoal, type GoalFrame, type GoalReading } from './goal';

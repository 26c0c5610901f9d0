import { describe } from 'vitest';
import { cutsAreSurvived } from './test/cutsTest';
import { SCENARIOS } from './test/scenarios';

// In two files, so that both cores are used.
describe('the power is cut, second half', () => cutsAreSurvived(SCENARIOS, 1, 1450));

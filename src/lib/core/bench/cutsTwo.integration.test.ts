import { describe } from 'vitest';
import { cutsAreSurvived } from './test/cutsTest';

// In two files, so that both cores are used.
describe('the power is cut, second half', () => cutsAreSurvived(1, 2400));

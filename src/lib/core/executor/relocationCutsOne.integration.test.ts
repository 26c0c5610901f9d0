import { describe } from 'vitest';
import { cutsAreSurvived } from './test/cutsTest';
import { RELOCATIONS } from './test/scenarios';

describe('the power is cut while files are relocated, volumes made and copied, first half', () =>
  cutsAreSurvived(RELOCATIONS, 0, 650));

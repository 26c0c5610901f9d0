import { diskSpec, surveyWith } from '../survey/sketch';
import type { SurveyDocument } from '../survey';
import { GIB, MIB } from '../units';

const gib = (value: number): number => (value * GIB) / MIB;

/** The clinic's layout of the product's sketches: EFI, reserved, C: nearly full, Recovery, D: with room. */
export const clinic = (): SurveyDocument =>
  surveyWith(
    diskSpec({ size: 486_644 }, [
      { role: 'efi', size: 260, used: 33, fileSystem: 'fat32' },
      { role: 'reserved', size: 16 },
      { role: 'windows', size: gib(119), used: gib(112.6), letter: 'C', label: 'Windows' },
      { role: 'recovery', size: 990, used: 720, label: 'Recovery' },
      { role: 'data', size: gib(355), used: gib(141), letter: 'D', label: 'Archive' },
    ]),
  );

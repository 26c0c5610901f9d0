import { HOLDINGS_FORMAT, type Holdings } from '$core/holdings';
import { sketchedHoldings } from '$core/holdings/sketch';
import { diskSpec, surveyWith } from '$core/survey/sketch';
import { GIB } from '$core/units';

/** The made-up machine of the contract's examples, which can be sent one after the other. */
export const SURVEY = surveyWith(
  diskSpec({ size: 450 * 1024 + 2, serial: 'GT-EX-0001', media: 'sata-ssd' }, [
    { role: 'windows', size: 100 * 1024, used: 95 * 1024, letter: 'C', label: 'Windows' },
    { role: 'recovery', size: 600, used: 400, label: 'Recovery' },
    { role: 'data', gap: 50 * 1024, size: 250 * 1024, used: 60 * 1024, letter: 'D', label: 'Catalogue' },
  ]),
);

export const HOLDINGS: Holdings = {
  format: HOLDINGS_FORMAT,
  version: 1,
  takenAt: SURVEY.takenAt,
  machine: SURVEY.machine.name,
  volumes: [
    sketchedHoldings({
      partition: 1,
      letter: 'C',
      size: SURVEY.disks[0]!.partitions[0]!.volume!.size,
      used: 95 * GIB,
      folders: [
        { path: 'Windows', gib: 24 },
        { path: 'Windows.old', gib: 18 },
        { path: 'Users\\ida\\Pictures', gib: 30 },
      ],
      files: [{ path: 'hiberfil.sys', gib: 6.3 }],
    }),
  ],
};

/** An hour after the survey. */
export const LATER = new Date(Date.parse(SURVEY.takenAt) + 3_600_000).toISOString();

import { HOLDINGS_FORMAT } from '$core/holdings';
import { sketchedHoldings } from '$core/holdings/sketch';
import { GIB } from '$core/units';
import { diskSpec, surveyWith } from '$core/survey/sketch';
import { PEOPLE_EXAMPLES } from './people/bodies';
import type { BodyName, BodyOf } from './schemas';

/** One body of each kind that the API takes, made up: they come with the schemas, in an order in which they can be sent. */
const survey = surveyWith(
  diskSpec({ size: 450 * 1024 + 2, serial: 'GT-EX-0001', media: 'sata-ssd' }, [
    { role: 'windows', size: 100 * 1024, used: 95 * 1024, letter: 'C', label: 'Windows' },
    { role: 'recovery', size: 600, used: 400, label: 'Recovery' },
    { role: 'data', gap: 50 * 1024, size: 250 * 1024, used: 60 * 1024, letter: 'D', label: 'Catalogue' },
  ]),
);
const holdings: BodyOf<'holdings'> = {
  format: HOLDINGS_FORMAT,
  version: 1,
  takenAt: survey.takenAt,
  machine: survey.machine.name,
  volumes: [
    sketchedHoldings({
      partition: 1,
      letter: 'C',
      size: survey.disks[0]!.partitions[0]!.volume!.size,
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
const later = new Date(Date.parse(survey.takenAt) + 3_600_000).toISOString();
const head = {
  takenAt: survey.takenAt,
  machine: survey.machine.name ?? '',
  disks: ['GT-EX-0001'],
  folders: ['D:\\'],
  files: 1200,
  bytes: 60 * GIB,
};
const donor = survey.disks[0]!.partitions[2]!;
const none = { count: 0, named: [] };
const drawing: BodyOf<'new-drawing'>['states'][number] = {
  kit: 'windows-only',
  steps: [
    {
      id: 'a1',
      intent: { verb: 'shrink', partition: 3, to: { first: donor.first, sectors: (200 * GIB) / 512 } },
      tool: null,
      off: false,
    },
  ],
};

export const EXAMPLES: { [N in BodyName]?: BodyOf<N> } = {
  ...PEOPLE_EXAMPLES,
  survey,
  holdings,
  'diagnosis-request': { survey, disk: 0, partition: 1 },
  'routes-request': { survey, disk: 0, goal: { partition: 1, grow: 40 * GIB } },
  'new-job': { customer: 'Salt Pan Library', machine: 'catalogue' },
  'save-survey': { version: 1, source: 'document', survey },
  'save-holdings': { version: 1, holdings },
  'save-choices': {
    version: 1,
    choices: [
      {
        disk: 0,
        partition: 1,
        goes: ['earlier-windows', 'hibernation'],
        moves: [{ path: '\\Users\\ida\\Pictures', to: { disk: 0, partition: 3 } }],
      },
    ],
  },
  'save-target': { version: 1, disk: 0, partition: 1 },
  'save-goal': { version: 1, size: 140 * GIB, keepFreePercent: 10, options: { prefer: 'usual' } },
  'choose-route': { version: 1, chosen: 0 },
  'new-drawing': { name: 'By hand', states: [drawing], position: 0 },
  'save-drawing': { edition: 1, keep: 1, add: [{ ...drawing, steps: [] }], position: 1 },
  'work-despite': { against: '1 2 0  0' },
  'new-sheet': { version: 1 },
  'start-rehearsal': { pace: 'fast' },
  'begin-upload': { name: 'booking-desk.qcow2', bytes: 196_616, changedAt: Date.parse(survey.takenAt) },
  'survey-image': { version: 1, image: 'booking-desk.qcow2' },
  'rehearsal-wish': { wish: 'cancel' },
  ticks: {
    ticks: [
      {
        id: '47540000-0000-4000-8000-000000000001',
        item: 'before-power',
        outcome: 'done',
        who: 'Ida',
        at: later,
        note: '',
        seconds: null,
        answers: {},
      },
    ],
  },
  'layout-proof': { version: 1, survey: { ...survey, takenAt: later } },
  'file-proof': {
    version: 1,
    proof: {
      verdict: 'proved',
      before: head,
      after: { ...head, takenAt: later },
      same: 1200,
      moved: 0,
      changed: none,
      missing: none,
      added: none,
      unreadable: none,
    },
  },
  'job-details': {
    version: 1,
    customer: 'Salt Pan Library',
    machine: 'catalogue',
    notes: 'Comes back on Friday.',
    due: '2026-11-27',
  },
  'archive-job': { version: 1, archived: true },
  'save-workshop': {
    version: 1,
    workshop: {
      tools: [
        {
          id: 'bench-mover',
          name: 'Bench mover',
          countsFrom: 0,
          notes: 'Started from a medium of its own.',
          extends: ['ntfs'],
          shrinks: ['ntfs'],
          floor: 'offline',
          moves: ['data', 'recovery'],
          movesAtRestart: [],
          restartsPerRun: 1,
          touchesEncrypted: false,
          resizesExtended: false,
        },
      ],
      kits: [{ id: 'bench', name: 'Bench', tools: ['windows', 'bench-mover'] }],
    },
  },
};

import { GIB, MIB } from '$core/units';
import type { SurveyDocument, SurveyMachine } from '$core/survey';
import { EARLIER } from './holdings';
import { diskSpec, surveyWith, type DiskSpec, type PartitionSpec } from '$core/survey/sketch';

/** A made-up job of the Saltmarsh Bench. */
export interface DemoJob {
  number: number;
  customer: string;
  machine: string;
  survey: SurveyDocument;
  /** Surveys before that one, oldest first. */
  earlier: SurveyDocument[];
  /** Mark of one that was put away. */
  archived?: boolean;
  /** The new total asked for, in bytes; absent: nobody has asked yet. */
  goal?: number;
  /** Progress of the work: some of the sheet is ticked, or all of it, and the disk was proved afterwards. */
  work?: 'begun' | 'proved';
  /** YYYY-MM-DD. */
  due?: string;
  notes?: string;
}

const gib = (value: number): number => (value * GIB) / MIB;

interface Spec {
  number: number;
  customer: string;
  machine: string;
  goal?: number;
  work?: 'begun' | 'proved';
  due?: string;
  notes?: string;
  facts?: Partial<SurveyMachine>;
  archived?: boolean;
  takenAt?: string;
  disk: DiskSpec;
  partitions: PartitionSpec[];
  /** An empty disk beside it. */
  beside?: Pick<DiskSpec, 'model' | 'serial' | 'media'> & { sectors: number };
}

const efi = (size: number): PartitionSpec => ({ role: 'efi', size, used: 33, fileSystem: 'fat32' });
const reserved: PartitionSpec = { role: 'reserved', size: 16 };
const recovery = (size: number, used: number): PartitionSpec => ({
  role: 'recovery',
  size,
  used,
  label: 'Recovery',
});
const windows = (size: number, used: number, more: Partial<PartitionSpec> = {}): PartitionSpec => ({
  role: 'windows',
  size: gib(size),
  used: gib(used),
  letter: 'C',
  label: 'Windows',
  ...more,
});
const data = (letter: string, label: string, size: number, used: number): PartitionSpec => ({
  role: 'data',
  size: gib(size),
  used: gib(used),
  letter,
  label,
});

const SPECS: Spec[] = [
  {
    number: 2614,
    customer: 'Tern Street Clinic',
    machine: 'X-ray viewer',
    goal: gib(200),
    facts: { hibernation: true },
    disk: { size: 488_386, model: 'made-up NVMe', serial: 'GT-7Q2F-0081', media: 'nvme' },
    partitions: [
      efi(260),
      reserved,
      windows(119, 112.6),
      recovery(990, 720),
      data('D', 'Archive', 365_262 / 1024, 141),
    ],
  },
  {
    number: 2613,
    customer: 'Harbour Ferry Office',
    machine: 'booking desk, virtual machine',
    disk: {
      size: gib(160),
      model: 'virtual disk',
      serial: 'GT-VM-0009',
      media: 'virtual',
      backupHeader: (80 * GIB) / 512 - 1,
    },
    partitions: [efi(100), reserved, windows(79, 75.2), recovery(906, 640)],
  },
  {
    number: 2612,
    customer: 'Marlow & Finch Upholstery',
    machine: 'office',
    goal: gib(400),
    facts: { recoveryEnvironment: { enabled: true, disk: 0, partition: 4 } },
    disk: { size: 488_386, model: 'made-up SSD', serial: 'GT-33KD-4410', media: 'sata-ssd' },
    partitions: [efi(100), reserved, windows(237, 221.4, { encrypted: true }), recovery(1024, 702)],
  },
  {
    number: 2611,
    customer: 'Driftwood Radio',
    machine: 'studio workstation',
    goal: gib(320),
    disk: { size: 1_907_729, model: 'made-up hard disk', serial: 'GT-H5T2-7731', media: 'hdd' },
    partitions: [
      efi(260),
      reserved,
      windows(200, 188.3),
      recovery(820, 590),
      data('D', 'Sessions', 900, 612),
      data('E', 'Samples', 460, 118),
      { ...data('F', 'Jingles and station idents, 1998', 160, 152), gap: gib(24) },
    ],
  },
  {
    number: 2610,
    customer: 'Old Lighthouse Museum',
    machine: 'kiosk',
    goal: gib(90),
    facts: { firmware: 'bios' },
    disk: { size: 114_473, model: 'made-up SSD', serial: 'GT-20LH-0113', media: 'sata-ssd', table: 'mbr' },
    partitions: [
      { role: 'system', size: 500, used: 41, active: true, label: 'System' },
      windows(60, 57.1),
      data('D', 'Exhibits', 50.5, 31),
    ],
    beside: { model: 'made-up SSD', serial: 'GT-77LH-2500', media: 'sata-ssd', sectors: 488_397_168 },
  },
  {
    number: 2609,
    customer: 'Pinwheel Bakery',
    machine: 'till',
    disk: { size: 244_198, model: 'made-up SSD', serial: 'GT-91PB-2206', media: 'sata-ssd' },
    partitions: [efi(100), reserved, windows(110, 103.4), recovery(700, 512)],
  },
  {
    number: 2608,
    customer: 'Tern Street Clinic',
    machine: 'front desk',
    goal: gib(150),
    work: 'begun',
    due: '2026-11-27',
    notes: 'Needed again on Monday at eight. The password manager is on D:.',
    disk: { size: 488_386, model: 'made-up hard disk', serial: 'GT-40TS-1190', media: 'hdd' },
    partitions: [efi(100), reserved, windows(100, 94.1), recovery(800, 604), data('D', 'Patients', 240, 88)],
  },
  {
    number: 2607,
    customer: 'Harbour Ferry Office',
    machine: 'ticket counter',
    goal: gib(180),
    work: 'proved',
    notes: 'Handed back with the old cable.',
    disk: { size: 244_198, model: 'made-up SSD', serial: 'GT-61HF-5502', media: 'sata-ssd' },
    partitions: [efi(100), reserved, windows(80, 76.8), recovery(750, 520), data('D', 'Timetables', 100, 34)],
  },
  {
    number: 2574,
    customer: 'Pinwheel Bakery',
    machine: 'till',
    archived: true,
    takenAt: '2025-10-06T08:10:00Z',
    notes: 'C: grown from 80 to 110 GiB.',
    disk: {
      size: 244_198,
      model: 'made-up SSD',
      serial: 'GT-91PB-2206',
      media: 'sata-ssd',
      seed: 2609,
    },
    partitions: [efi(100), reserved, windows(80, 75.9), recovery(700, 512)],
  },
];

/** The demo jobs, oldest first. */
export const DEMO_JOBS: readonly DemoJob[] = SPECS.map(
  ({ facts, disk, partitions, beside, goal, takenAt, ...job }) => {
    const survey = surveyWith(diskSpec({ seed: job.number, ...disk }, partitions));
    survey.machine = { ...survey.machine, name: `${job.customer}, ${job.machine}`, ...facts };
    if (takenAt) survey.takenAt = takenAt;
    if (beside) survey.disks.push(emptyDisk(beside));
    const earlier = (EARLIER[job.number] ?? []).map(([at, used]) => emptier(survey, at, used));
    return { ...job, survey, earlier, ...(goal === undefined ? {} : { goal: goal * MIB }) };
  },
).reverse();

/** A disk as Windows shows a new one: without a table. */
function emptyDisk({ sectors, ...known }: NonNullable<Spec['beside']>): SurveyDocument['disks'][number] {
  return { ...diskSpec({ size: 100, ...known }, []), number: 1, id: null, sectors };
}

/** The same machine as it was before. @param used GiB in use, by letter */
function emptier(
  survey: SurveyDocument,
  takenAt: string,
  used: Readonly<Record<string, number>>,
): SurveyDocument {
  const before = { ...structuredClone(survey), takenAt };
  for (const { letter, volume } of before.disks.flatMap(({ partitions }) => partitions)) {
    const gib = letter ? used[letter] : undefined;
    if (volume && gib !== undefined) volume.used = Math.round(gib * GIB);
  }
  return before;
}

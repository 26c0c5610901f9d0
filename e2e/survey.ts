import { expect, type APIRequestContext, type Page } from '@playwright/test';

const GUID = (n: number) => `47540000-0000-4000-8000-${String(n).padStart(12, '0')}`;
const GIB = 2 ** 30;
const MIB_SECTORS = 2048;

/** A survey document written out by hand: C: nearly full, Recovery behind it, D: with room. */
export function sampleSurvey(): Record<string, unknown> & {
  disks: { partitions: Record<string, unknown>[] }[];
} {
  const partition = (number: number, at: number, mib: number, type: string, more: object) => ({
    number,
    first: at * MIB_SECTORS,
    sectors: mib * MIB_SECTORS,
    type,
    id: GUID(number),
    ...more,
  });
  const volume = (mib: number, usedGib: number, label: string) => ({
    fileSystem: 'ntfs',
    label,
    clusterSize: 4096,
    size: mib * 2 ** 20,
    used: Math.round(usedGib * GIB),
  });
  const data = 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7';
  return {
    format: 'gentle-tide/survey',
    version: 1,
    takenAt: '2026-11-20T09:30:00Z',
    machine: { name: 'Salt Pan Library, catalogue', firmware: 'uefi' },
    disks: [
      {
        number: 0,
        model: 'made-up SSD',
        serial: 'GT-E2E-0001',
        media: 'sata-ssd',
        sectorSize: 512,
        sectors: (1 + 100 * 1024 + 600 + 300 * 1024 + 1) * MIB_SECTORS,
        table: 'gpt',
        id: GUID(999),
        partitions: [
          partition(1, 1, 100 * 1024, data, { letter: 'C', volume: volume(100 * 1024, 95, 'Windows') }),
          partition(2, 1 + 100 * 1024, 600, 'DE94BBA4-06D1-4D40-A16A-BFD50179D6AC', {
            volume: volume(600, 0.4, 'Recovery'),
          }),
          partition(3, 601 + 100 * 1024, 300 * 1024, data, {
            letter: 'D',
            volume: volume(300 * 1024, 60, 'Catalogue'),
          }),
        ],
      },
    ],
  };
}

interface Piece {
  number: number | null;
  first: number;
  sectors: number;
}
interface Shown {
  takenAt: string;
  disks: { sectorSize: number; partitions: (Piece & { volume?: { size: number } })[] }[];
}

/** The survey that a machine gives later, where its first disk shows these partitions, in the same order of numbers. */
export function surveyLater<T>(survey: T, pieces: readonly Piece[], takenAt: string): T {
  const later = structuredClone(survey) as T & Shown;
  later.takenAt = takenAt;
  const disk = later.disks[0]!;
  for (const one of disk.partitions) {
    const now = pieces.find((piece) => piece.number === one.number)!;
    if (one.volume && now.sectors !== one.sectors) one.volume.size = now.sectors * disk.sectorSize;
    Object.assign(one, { first: now.first, sectors: now.sectors });
  }
  return later;
}

/** Adds a job without a survey and gives its number. */
export async function addJob(request: APIRequestContext, machine = 'catalogue'): Promise<number> {
  const reply = await request.post('/api/v1/jobs', { data: { customer: 'Salt Pan Library', machine } });
  expect(reply.status()).toBe(201);
  return ((await reply.json()) as { number: number }).number;
}

export async function addSurveyedJob(
  request: APIRequestContext,
  survey: unknown = sampleSurvey(),
): Promise<number> {
  const number = await addJob(request);
  const reply = await request.put(`/api/v1/jobs/${number}/survey`, {
    data: { version: 1, source: 'document', survey },
  });
  expect(reply.status()).toBe(200);
  return number;
}

/** Chooses a file made of text on a survey screen. */
export async function chooseText(page: Page, name: string, text: string): Promise<void> {
  await page
    .getByTestId('survey-file')
    .setInputFiles({ name, mimeType: 'application/json', buffer: Buffer.from(text) });
}

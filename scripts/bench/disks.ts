import type { Intent } from '$core/steps';
import { taskOf } from '$core/planning';
import { applyEdit, follow, type Drawing } from '$core/drawing';
import { machineOf, type SurveyDocument } from '$core/survey';
import { diskSpec, surveyWith, type PartitionSpec } from '$core/survey/sketch';

/**
 * A made-up disk with `count` partitions: EFI, Windows, and behind it recovery, reserved and data volumes of
 * many sizes and fill levels, some with gaps. The same for every run.
 * @param seed which of many
 * @param free MiB of unallocated space behind the last partition; 0: the disk is packed
 */
export function benchSurvey(count: number, seed = 0, free = 0): SurveyDocument {
  let state = seed * 7919 + count;
  const random = (): number => (state = (state * 1_103_515_245 + 12_345) % 2 ** 31) / 2 ** 31;
  for (let i = 0; seed > 0 && i < 5; i++) random();
  const partitions: PartitionSpec[] = [
    { role: 'efi', size: 260, used: 33, fileSystem: 'fat32' },
    { role: 'windows', size: 100_000, used: 95_000, letter: 'C' },
  ];
  while (partitions.length < count) {
    const kind = random();
    const gap = random() < 0.2 ? Math.round(random() * 500) : 0;
    if (kind < 0.15) partitions.push({ role: 'recovery', size: 900, used: 600, gap });
    else if (kind < 0.2) partitions.push({ role: 'reserved', size: 16, gap });
    else {
      const size = 5_000 + Math.round(random() * 40_000);
      partitions.push({ role: 'data', size, used: Math.round(size * random() * 0.9), gap });
    }
  }
  const length = partitions.reduce((sum, spec) => sum + spec.size + (spec.gap ?? 0), 0) + 2 + free;
  return surveyWith(diskSpec({ size: length }, partitions));
}

/** A made-up disk with Windows in its middle: data volumes, with gaps between them, on both sides. */
export function sidedSurvey(count: number, seed: number): SurveyDocument {
  const partitions = roomy(count, seed);
  const windows = { role: 'windows', size: 100_000, used: 90_000, letter: 'C' } as const;
  partitions.splice(Math.ceil(count / 2) - 1, 1, windows);
  const length = partitions.reduce((sum, spec) => sum + spec.size + (spec.gap ?? 0), 0) + 2;
  return surveyWith(diskSpec({ size: length }, partitions));
}

function roomy(count: number, seed: number): PartitionSpec[] {
  let state = seed * 7919 + count;
  const random = (): number => (state = (state * 1_103_515_245 + 12_345) % 2 ** 31) / 2 ** 31;
  for (let i = 0; i < 5; i++) random();
  return Array.from({ length: count }, () => {
    const size = 2_000 + Math.round(random() * 60_000);
    const gap = random() < 0.35 ? Math.round(random() * 3_000) : 0;
    return { role: 'data', size, used: Math.round(size * random()), gap };
  });
}

/** The same disk with a drawing of 12 steps on it: data volumes that give 64 MiB each. */
export function benchDrawing(count: number): { survey: SurveyDocument; goal: number; drawing: Drawing } {
  const survey = benchSurvey(count);
  const [, target] = survey.disks[0]!.partitions;
  // Room to drag its end through.
  target!.volume!.used = 20_000 * 2 ** 20;
  const goal = target!.sectors * 512 + 300 * 2 ** 20;
  const asked = taskOf(machineOf(survey), {
    survey,
    disk: 0,
    goal: { partition: target!.number, size: goal },
    kits: ['offline-mover'],
  });
  if (!asked.ok) throw new Error('the bench disk has no task');
  const { disk, kits } = asked.value;
  let drawing: Drawing = { kit: 'offline-mover', steps: [] };
  for (const { number, first, sectors, role } of disk.partitions) {
    if (role !== 'data' || drawing.steps.length === 12) continue;
    const intent: Intent = { verb: 'shrink', partition: number, to: { first, sectors: sectors - 64 * 2048 } };
    const more = applyEdit(drawing, { kind: 'add', at: drawing.steps.length, intents: [intent] });
    if (follow(asked.value, kits[0]!, more).results.at(-1)!.kind === 'done') drawing = more;
  }
  return { survey, goal, drawing };
}

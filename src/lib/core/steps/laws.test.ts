import { Ajv2020 } from 'ajv/dist/2020.js';
import { describe, expect, it } from 'vitest';
import { endOf, overlaps, type Partition } from '../disk';
import { follow } from '../drawing';
import type { CleanupReport } from '../holdings';
import { planOntoDisk, planOnto } from '../newDisk';
import { listOtherWays, makeSteps } from '../otherWays';
import { planRoutes, taskOf, type Route, type Task } from '../planning';
import { SITUATIONS } from '../planning/test/catalogue/situations';
import { unwrap } from '../problem';
import { machineOf } from '../survey';
import { hasTool, type Kit } from '../tools';
import { GIB } from '../units';
import {
  applyStep,
  IntentShape,
  layoutOf,
  moduleOf,
  resolve,
  StepShape,
  VERBS,
  type Intent,
  type Layout,
  type OnSheet,
  type Step,
  type Verb,
} from '.';

/** A step where it stands in a found route. */
interface Sample {
  situation: string;
  task: Task;
  kit: Kit;
  route: Route;
  step: Step;
  before: Layout;
  after: Layout;
}

/** What could move from a volume: no search asks for that, a new volume for it is drawn. */
const FOLDERS: CleanupReport = {
  disk: 0,
  partition: 1,
  size: 0,
  used: 0,
  accounts: { used: 0, folders: 0, own: 0, other: 0 },
  goes: [],
  moves: [
    { path: '\\Users\\Ines\\Pictures', bytes: 20 * GIB, files: 3000, within: [] },
    { path: '\\Users\\Ines\\Videos', bytes: 9 * GIB, files: 12, within: [] },
  ],
  rate: null,
};

function drawnOn(task: Task): Route[] {
  const kit = task.kits[0]!;
  const way = listOtherWays({ task, kit, found: FOLDERS }).find(({ code }) => code === 'new-volume');
  if (!way?.makes || way.reason !== '') return [];
  const steps = makeSteps(task.target.number, way.makes, way.makes.proposed);
  const drawn = steps.map((intent, i) => ({ id: `s${i}`, intent, tool: null, off: false }));
  const { results, route } = follow(task, kit, { kit: kit.id, steps: drawn });
  expect(results.map(({ reason }) => reason).join('')).toBe('');
  return [route!];
}

/**
 * The same situation with an empty disk beside it that is as large again, and the route that brings everything there.
 */
function ontoLarger({ survey, ask }: (typeof SITUATIONS)[number]): { task: Task; route: Route }[] {
  const [old] = survey.disks;
  const bare = { id: null, backupHeader: null, lastUsable: null, firstUsable: null, partitions: [] };
  const larger = { ...old!, ...bare, number: 1, serial: 'GT-TEST-0002', sectors: 2 * old!.sectors };
  const request = {
    survey: { ...survey, disks: [...survey.disks, larger] },
    disk: 0,
    ...ask,
    kits: ['offline-mover'],
  };
  const task = taskOf(machineOf(request.survey), request);
  const onto = task.ok ? planOntoDisk(task.value, 1) : task;
  const plan = onto.ok ? planOnto(onto.value) : onto;
  if (!onto.ok || !plan.ok) return [];
  const kit = onto.value.kits[0]!;
  const steps = plan.value.intents.map((intent, i) => ({ id: `s${i}`, intent, tool: null, off: false }));
  const { results, route } = follow(onto.value, kit, { kit: kit.id, steps });
  return results.every(({ kind }) => kind === 'done') ? [{ task: onto.value, route: route! }] : [];
}

const samples: Sample[] = SITUATIONS.flatMap((situation) => {
  const { id, survey, ask } = situation;
  const request = { survey, disk: 0, ...ask };
  const answer = unwrap(planRoutes(request, { nodes: 300 }));
  const task = unwrap(taskOf(machineOf(survey), request));
  const here = [...answer.routes, ...drawnOn(task)].map((route) => ({ task, route }));
  return [...here, ...ontoLarger(situation)].flatMap(({ task, route }) => {
    const layouts = route.steps.reduce(
      (along, step) => [...along, unwrap(applyStep(task.disk, along.at(-1)!, step))],
      [layoutOf(task.disk, task.outside)],
    );
    const kit = task.kits.find((one) => one.id === route.kit)!;
    return route.steps.map((step, i) => ({
      situation: id,
      task,
      kit,
      route,
      step,
      before: layouts[i]!,
      after: layouts[i + 1]!,
    }));
  });
});
const of = (verb: Verb): Sample[] => samples.filter(({ step }) => step.verb === verb);
const intentOf = ({ step, route }: Sample): Intent => moduleOf(step.verb).intentOf(step, route.steps);
const where = ({ step, situation }: Sample): string => `${situation}: ${JSON.stringify(step)}`;

/** Numbers of partitions that may be other after a step than before. */
function touched(step: Step): (number | null)[] {
  if (!('into' in step)) return [step.partition];
  const { into } = step;
  return [step.partition, typeof into === 'number' ? into : 'partition' in into ? into.partition : null];
}

describe.each(VERBS)('%s', (verb) => {
  it('is in the catalogue, so that what follows is not empty', () => {
    expect(of(verb).length).toBeGreaterThan(0);
  });

  it('comes to the same by its intent as in the route that was found: one engine prices both', () => {
    for (const sample of of(verb)) {
      const { task, kit, before, step } = sample;
      const priced = unwrap(resolve({ terms: task, kit, layout: before }, intentOf(sample)));
      const { tool, seconds, exposedSeconds, why, ...bare } = step;
      expect(priced.step, where(sample)).toEqual(bare);
      expect([why.length > 0, seconds.low <= seconds.high, exposedSeconds.high <= seconds.high]).toEqual([
        true,
        true,
        true,
      ]);
      const index = kit.tools.findIndex(({ id }) => id === tool);
      expect(hasTool(priced.tools, index), where(sample)).toBe(true);
    }
  });

  it('touches nothing but its own partition, and leaves nothing on top of another', () => {
    for (const sample of of(verb)) {
      const { step, before, after } = sample;
      const others = ({ partitions }: Layout): Partition[] =>
        partitions.filter(({ number }) => !touched(step).includes(number));
      // A new table gives every partition another type and GUID: places are what stays.
      const places = (layout: Layout) =>
        others(layout).map(({ number, first, sectors }) => [number, first, sectors]);
      if (verb === 'convert-table')
        expect(places(after)).toEqual(expect.arrayContaining(places(before).slice(0, -1)));
      else expect(others(after), where(sample)).toEqual(others(before));
      const real = after.partitions.filter(({ kind }) => kind !== 'extended');
      for (const [i, one] of real.entries())
        for (const other of real.slice(i + 1)) expect(overlaps(one, other), where(sample)).toBe(false);
      for (const { number, first, sectors } of real) {
        const grown = touched(step).includes(number);
        if (grown) expect(first + sectors, where(sample)).toBeLessThanOrEqual(endOf(after.usable));
      }
    }
  });

  it('loses no byte that is in use: what a volume holds, it or its copy holds afterwards', () => {
    for (const sample of of(verb)) {
      const { step, before, after } = sample;
      // What started the machine is made anew for another way of starting, and holds nobody's files.
      const starts = step.verb === 'convert-table' ? step.efi.partition : null;
      const held = ({ partitions }: Layout): number =>
        partitions.reduce(
          (sum, { number, volume }) => sum + (number === starts ? 0 : (volume?.used ?? 0)),
          0,
        );
      const change = held(after) - held(before);
      const own = before.partitions.find(({ number }) => number === step.partition)?.volume?.used ?? 0;
      if (verb === 'delete' || verb === 'set-aside') expect(change, where(sample)).toBe(-own);
      else if (verb === 'copy' || verb === 'clone' || verb === 'join' || verb === 'convert-volume')
        expect(change, where(sample)).toBeGreaterThanOrEqual(0);
      else if (verb !== 'put-back') expect(change, where(sample)).toBe(0);
      if (step.to && verb !== 'create') {
        const now = after.partitions.find(({ number }) => number === step.partition);
        const used = now?.volume?.used ?? 0;
        expect(used, where(sample)).toBeLessThanOrEqual(now!.sectors * sample.task.disk.sectorSize);
      }
    }
  });

  it('is refused where its partition is not exactly where the step says, or is not there', () => {
    for (const sample of of(verb)) {
      const { task, step, before } = sample;
      if (step.from === null) continue;
      const elsewhere = { ...step, from: { ...step.from, first: step.from.first + 1 } } as Step;
      const longer = { ...step, from: { ...step.from, sectors: step.from.sectors + 1 } } as Step;
      const gone = { ...step, partition: 99 } as Step;
      for (const odd of [elsewhere, longer, gone]) {
        const outcome = applyStep(task.disk, before, odd);
        expect(outcome.ok, where(sample)).toBe(false);
        if (!outcome.ok) expect(outcome.problems[0]!.message).toMatch(/\w+ \w+/);
      }
    }
  });

  it('says all that a sheet needs in whole sentences, without a figure that is none', () => {
    for (const sample of of(verb)) {
      const { task, kit, route, step, before, after } = sample;
      const told = {
        tool: kit.tools.find(({ id }) => id === step.tool),
        disk: task.disk,
        target: task.target,
        steps: route.steps,
        step,
        before,
        after,
        diskBytes: task.disk.sectors * task.disk.sectorSize,
      } as unknown as OnSheet;
      const { title, do: lines, expected, ifNot, ifInterrupted } = moduleOf(verb).words(told);
      for (const text of [...lines, expected, ...ifNot, ifInterrupted, step.why])
        expect(text, where(sample)).toMatch(/^[A-Z“].*[.?!]$/);
      for (const text of [title, ...lines, expected, ...ifNot, ifInterrupted, step.why])
        expect(text).not.toMatch(/undefined|NaN|null|\[object| {2}|-\d+ (MiB|GiB)/);
      for (const { label, bytes } of moduleOf(verb).figures(told)) {
        expect(label.length).toBeGreaterThan(2);
        expect(Number.isSafeInteger(bytes), `${label} ${where(sample)}`).toBe(true);
      }
    }
  });

  it('travels as JSON: its shape takes it, and misses each of its fields', () => {
    const ajv = new Ajv2020({ strict: false });
    const [isStep, isIntent] = [ajv.compile(StepShape), ajv.compile(IntentShape)];
    for (const sample of of(verb)) {
      const step = JSON.parse(JSON.stringify(sample.step)) as Record<string, unknown>;
      expect(isStep(step), where(sample)).toBe(true);
      expect(isIntent(JSON.parse(JSON.stringify(intentOf(sample))))).toBe(true);
      for (const field of ['verb', 'tool', 'bytesCopied', 'exposedBytes', 'seconds', 'why']) {
        const { [field]: left, ...rest } = step;
        expect(left).toBeDefined();
        expect(isStep(rest), field).toBe(false);
      }
      expect(isStep({ ...step, verb: 'wipe' })).toBe(false);
      expect(isStep({ ...step, bytesCopied: -1 })).toBe(false);
    }
  });
});

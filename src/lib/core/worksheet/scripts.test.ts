import { describe, expect, it } from 'vitest';
import { shareOf } from '../test/evidence';
import { endOf, type Disk, type Extent } from '../disk';
import { drawingOf } from '../drawing';
import { planRoutes, taskOf } from '../planning';
import { SITUATIONS } from '../planning/test/catalogue/situations';
import { unwrap } from '../problem';
import { diskNow, computeLayouts, type Layout, type Step } from '../steps';
import { machineOf } from '../survey';
import { diskSpec, surveyWith } from '../survey/sketch';
import { clinic } from '../test/clinic';
import { GIB } from '../units';
import { taskFor } from '../drawing/test/sample';
import { makeSheet, stepsOf } from '.';
import { readScript } from '../test/powershellGrammar';
import { outcomeOf } from './test/outcome';
import { runScript } from './test/powershell';
import { machineWith, type WindowsMachine } from './test/windowsMachine';

/** Where partitions lie, in the order of their place. Bytes. */
const placesIn = (machine: WindowsMachine): [number, number][] =>
  machine.partitions.map(({ Offset, Size }): [number, number] => [Offset, Size]).sort(([a], [b]) => a - b);
const placesOf = ({ sectorSize }: Disk, { partitions }: Layout): [number, number][] =>
  partitions
    .map(({ first, sectors }: Extent): [number, number] => [first * sectorSize, sectors * sectorSize])
    .sort(([a], [b]) => a - b);

/** Everything that may differ from what a sheet says, one thing at a time, and what makes it differ. */
const DIFFERENCES: Record<string, (machine: WindowsMachine, at: number | null) => boolean> = {
  'another serial number': ({ disks }) => !!(disks[0]!.SerialNumber = 'GT-OTHER'),
  'a second disk with the same serial number': ({ disks }) =>
    !!(disks[1]!.SerialNumber = disks[0]!.SerialNumber),
  'a disk a sector shorter': ({ disks }) => !!(disks[0]!.Size -= 512),
  'another disk identity': ({ disks }) =>
    !!Object.assign(disks[0]!, { Guid: '{OTHER}', Signature: 12345, PartitionStyle: 'MBR' }),
  'the partition a MiB further right': ({ partitions }, at) => {
    const one = partitions.find(({ Offset }) => Offset === at);
    if (one) one.Offset += 1024 * 1024;
    return one !== undefined;
  },
  'the partition a sector smaller': ({ partitions }, at) => {
    const one = partitions.find(({ Offset }) => Offset === at);
    if (one) one.Size -= 512;
    return one !== undefined;
  },
  'no partition there': (machine, at) => {
    const before = machine.partitions.length;
    machine.partitions = machine.partitions.filter(({ Offset }) => Offset !== at);
    return machine.partitions.length < before;
  },
};

/** The attributes of what lies where a step puts something. */
const attributesAt = (machine: WindowsMachine, { sectorSize }: Disk, { to }: Step): bigint | undefined =>
  machine.attributes.get(machine.partitions.find(({ Offset }) => Offset === to!.first * sectorSize)!);

/** Where the disk must be free for a step, in sectors. */
function freeFor(step: Step): Extent | null {
  if (step.verb === 'create' || step.verb === 'put-back') return step.to;
  if (step.verb !== 'extend') return null;
  return { first: endOf(step.from), sectors: endOf(step.to) - endOf(step.from) };
}

describe('every script that Windows is given, over the whole catalogue', () => {
  it.each(shareOf(SITUATIONS, 2).map((one) => [one.id, one] as const))('%s', (_, { survey, ask }) => {
    const request = { survey, disk: 0, ...ask };
    const answer = planRoutes(request, { milliseconds: 500 });
    const task = unwrap(taskOf(machineOf(survey), request));
    const { disk } = task;
    for (const route of unwrap(answer).routes) {
      const kit = task.kits.find((one) => one.id === route.kit)!;
      const sheet = unwrap(makeSheet(task, kit, drawingOf(route)));
      const layouts = unwrap(computeLayouts(disk, route.steps));
      for (const { script } of [
        ...sheet.before,
        ...sheet.after,
        ...sheet.runs.flatMap((run) => [...run.open, ...run.close]),
      ])
        if (script) expect(() => readScript(script.text), script.text).not.toThrow();
      let { bytes } = sheet.disk;
      for (const [i, { script, partition }] of stepsOf(sheet).entries()) {
        const step = route.steps[i]!;
        const here = (): WindowsMachine => machineWith(diskNow(disk, layouts[i]!), layouts[i]!, bytes);
        const machine = here();
        if (script) {
          // Run on the disk as it is by then, it leaves the disk as the route says.
          const outcome = outcomeOf(script, machine);
          expect(outcome, script.text).toHaveProperty('said');
          expect(placesIn(machine)).toEqual(placesOf(disk, layouts[i + 1]!));
          if (step.verb === 'set-aside') expect(machine.environment).toBe(false);
          if (step.verb === 'put-back') {
            expect(machine.environment).toBe(true);
            expect(attributesAt(machine, disk, step)).toBe(BigInt(step.create.attributes));
          }
          if (step.verb === 'copy') expect(machine.copies).toHaveLength(1);
          if (step.verb === 'join') {
            const [[, folder] = ['', '']] = machine.copies;
            expect([machine.copies.length, folder.slice(0, 3)]).toEqual([1, 'C:\\']);
            expect(folder.slice(3)).toBe(step.folder);
            // What is in the way there is not added to.
            const taken = here();
            taken.folders.add(folder);
            expect(outcomeOf(script, taken)).toEqual({
              stopped: 'Stopped, nothing was changed: there is such a folder already. Look into it first.',
            });
            expect(taken.copies).toEqual([]);
          }
          if (step.verb === 'convert-volume') {
            expect(machine.converted.size).toBe(1);
            const full = here();
            full.free = step.bytesCopied - 1;
            expect(outcomeOf(script, full)).toHaveProperty('stopped');
            expect(full.converted.size).toBe(0);
          }

          const free = freeFor(step);
          for (const at of free ? [free.first, endOf(free) - 2048] : []) {
            const other = here();
            other.put(disk.number, at * disk.sectorSize, 2048 * disk.sectorSize);
            expect(outcomeOf(script, other)).toEqual({
              stopped: expect.stringMatching(/^Stopped, nothing was changed: the place .* is not free[.]$/),
            });
          }
          const at = partition && step.from ? partition.first * disk.sectorSize : null;
          for (const [name, change] of Object.entries(DIFFERENCES)) {
            const other = here();
            if (!change(other, at)) continue;
            const before = other.state;
            expect(outcomeOf(script, other), name).toEqual({
              stopped: expect.stringMatching(/^Stopped, nothing was changed: .*[.]$/),
            });
            expect(other.state, name).toEqual(before);
          }
        }
        if (step.verb === 'enlarge-disk') bytes = step.diskSectors * disk.sectorSize;
      }
    }
  });
});

describe('the attributes of a recovery partition that is put back', () => {
  /** What the script of putting it back said and set, where it was found with these attributes. */
  function putBack(attributes: string, calls: WindowsMachine['calls']) {
    const survey = clinic();
    survey.disks[0]!.partitions.find(({ number }) => number === 4)!.attributes = attributes;
    const { task, kit, request } = taskFor(
      'windows-only',
      { goal: { partition: 3, grow: 20 * GIB } },
      survey,
    );
    const route = unwrap(planRoutes(request)).routes[0]!;
    const i = route.steps.findIndex(({ verb }) => verb === 'put-back');
    const sheet = unwrap(makeSheet(task, kit, drawingOf(route)));
    const machine = machineWith(
      task.disk,
      unwrap(computeLayouts(task.disk, route.steps))[i]!,
      sheet.disk.bytes,
    );
    machine.calls = calls;
    const outcome = outcomeOf(stepsOf(sheet)[i]!.script!, machine);
    return {
      said: 'said' in outcome ? outcome.said.at(-1) : outcome.stopped,
      set: attributesAt(machine, task.disk, route.steps[i]!),
      environment: machine.environment,
    };
  }

  it.each([
    '0x8000000000000001',
    '0x8000000000000000',
    '0xC000000000000005',
    '0xFEDCBA9876543210',
    '0x0000000000000001',
    '0x0000000000000000',
  ])('are all 64 bits as they were found: %s', (attributes) => {
    expect(putBack(attributes, 'all')).toEqual({
      said: 'Done: the recovery partition is there.',
      set: BigInt(attributes),
      environment: true,
    });
  });

  it.each(['none', 'not the low bits'] as const)(
    'are said to be incomplete where Windows sets %s of them, and recovery works',
    (calls) => {
      expect(putBack('0x8000000000000001', calls)).toEqual({
        said: 'Done: the recovery partition is there and works, but its attributes are not 0x8000000000000001: they lack “required”. See the sheet.',
        set: 1n << 63n,
        environment: true,
      });
    },
  );
});

describe('names in a script', () => {
  const sheetWith = (label: string, serial: string) => {
    const survey = surveyWith(
      diskSpec({ size: 300 * 1024 + 2 }, [
        { role: 'windows', size: 100 * 1024, used: 90 * 1024, letter: 'C' },
        { role: 'data', size: 150 * 1024, used: 20 * 1024, letter: 'D', label },
      ]),
    );
    survey.disks[0]!.serial = serial;
    const { task, kit, request } = taskFor(
      'windows-only',
      { goal: { partition: 1, size: 130 * GIB } },
      survey,
    );
    const route = unwrap(planRoutes(request)).routes[0]!;
    const layouts = unwrap(computeLayouts(task.disk, route.steps));
    const sheet = unwrap(makeSheet(task, kit, drawingOf(route)));
    return stepsOf(sheet).map(({ script }, i) => ({
      script,
      machine: machineWith(task.disk, layouts[i]!, sheet.disk.bytes),
    }));
  };

  it.each([
    ['an apostrophe', 'Bob’s', "GT-'1'"],
    ['a label that looks like commands', "x'; Remove-Partition -DiskNumber 0 -PartitionNumber 1 #", 'GT-2'],
    ['braces, a variable and a pipe', '$(reagentc.exe /disable) } | %{', 'GT-} throw'],
    ['brackets and quotation marks', '["`$disk`"]', 'GT-"3"'],
  ])('are text and no more: %s', (_, label, serial) => {
    const steps = sheetWith(label, serial);
    const ran = steps.filter(({ script }) => script !== null);
    expect(ran.length).toBeGreaterThan(1);
    for (const { script, machine } of ran) {
      expect(outcomeOf(script!, machine)).toHaveProperty('said', expect.anything());
      expect(machine.disks[0]!.SerialNumber.trim()).toBe(serial);
    }
  });
});

describe('the interpreter itself', () => {
  const run = (text: string) => runScript(text, { 'get-disk': () => [{ Number: 1 }, { Number: 2 }] });

  it.each([
    ["'a' -eq 'A'", true],
    ["('AB').Trim('A') -ne 'b'", false],
    ['1 + 2 -gt 2 -and -not (1 -lt 1)', true],
    ['@(Get-Disk | Where-Object { $_.Number -eq 2 }).Count', 1],
    ['$d = Get-Disk; $d[1].Number', 2],
    ["[string]5 + 'x'", '5x'],
    ["'it''s'", "it's"],
    ["'it’’s'", 'it’s'],
  ])('reads %s as PowerShell does', (text, value) => {
    expect(run(text)).toEqual([value]);
  });

  it.each(["if (1 -eq 1 { 'x' }", "throw 'open", '& {', 'Get-Nothing'])(
    'takes no other text for a script: %s',
    (text) => {
      expect(() => run(text)).toThrow(/no PowerShell|no command/);
    },
  );
});

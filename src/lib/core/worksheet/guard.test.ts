import { describe, expect, it } from 'vitest';
import { drawingOf } from '../drawing';
import { planRoutes, taskOf, type Task } from '../planning';
import { SITUATIONS } from '../planning/test/catalogue/situations';
import { certain } from '../problem';
import { layoutsAlong, type Layout } from '../steps';
import { machineOf } from '../survey';
import { makeSheet, stepsOf, type Script } from '.';

/** A machine as the storage cmdlets would show it. Bytes. */
interface Shown {
  disks: { number: number; serial: string; size: number; guid: string; signature: number }[];
  partitions: { disk: number; offset: number; size: number; mbrType: number }[];
}

/** What came of running a script's guards: the sentence that it ended with, or the first line that changes something. */
type Outcome = { stopped: string } | { reached: string };

const test = (pattern: RegExp, line: string): string[] | null => pattern.exec(line.trim())?.slice(1) ?? null;

/**
 * Runs the guard lines of a script on a machine, as PowerShell would: these few forms are all that guards are made of.
 * A line of another form is what they guard.
 */
function run({ text }: Script, machine: Shown): Outcome {
  const found: Record<string, Shown['partitions'] | Shown['disks']> = {};
  const disk = () => found['disk']![0] as Shown['disks'][number];
  const part = (name: string) => found[name]![0] as Shown['partitions'][number];
  const onDisk = () => machine.partitions.filter((one) => one.disk === disk().number);
  for (const line of text.split('\n').slice(2, -1)) {
    const thrown = /throw '(.*)' }$/.exec(line)?.[1] ?? '';
    const is = (pattern: RegExp): string[] | null => test(pattern, line);
    let match: string[] | null;
    if (is(/^(#|\$ErrorActionPreference = 'Stop'$)/) || is(/^\$(\w+) = \$\1\[0\]$/)) continue;
    if (
      (match = is(
        /^\$disk = @\(Get-Disk \| Where-Object \{ \(\[string\]\$_\.SerialNumber\)\.Trim\(\) -eq '(.*)' \}\)$/,
      ))
    ) {
      found['disk'] = machine.disks.filter((one) => one.serial.trim() === match![0]);
    } else if (
      (match = is(
        /^\$(\w+) = @\(Get-Partition -DiskNumber \$disk\.Number \| Where-Object \{ \$_\.Offset -eq (\d+) \}\)$/,
      ))
    ) {
      found[match[0]!] = onDisk().filter((one) => one.offset === Number(match![1]));
    } else if (
      (match = is(
        /^\$there = .*MbrType -ne 5 -and \$_\.MbrType -ne 15 -and \$_\.Offset -lt (\d+) -and \(\$_\.Offset \+ \$_\.Size\) -gt (\d+) \}\)$/,
      ))
    ) {
      const [end, start] = match.map(Number) as [number, number];
      found['there'] = onDisk().filter(
        (one) => one.mbrType !== 5 && one.mbrType !== 15 && one.offset < end && one.offset + one.size > start,
      );
    } else if ((match = is(/^if \(\$(\w+)\.Count -ne (\d)\) \{ throw/))) {
      if (found[match[0]!]!.length !== Number(match[1])) return { stopped: thrown };
    } else if ((match = is(/^if \(\$disk\.Size -ne (\d+)\) \{ throw/))) {
      if (disk().size !== Number(match[0])) return { stopped: thrown };
    } else if (
      (match = is(/^if \(\(\[string\]\$disk\.Guid\)\.Trim\('\{\}'\)\.ToUpper\(\) -ne '(.*)'\) \{ throw/))
    ) {
      if (disk().guid.toUpperCase() !== match[0]) return { stopped: thrown };
    } else if ((match = is(/^if \(\$disk\.Signature -ne (\d+)\) \{ throw/))) {
      if (disk().signature !== Number(match[0])) return { stopped: thrown };
    } else if ((match = is(/^if \(\$(\w+)\.Size -ne (\d+)\) \{ throw/))) {
      if (part(match[0]!).size !== Number(match[1])) return { stopped: thrown };
    } else return { reached: line.trim() };
  }
  return { reached: 'the end' };
}

/** The machine at a moment of the route. */
function shownAt({ disk }: Task, layout: Layout, diskBytes: number): Shown {
  return {
    disks: [
      {
        number: disk.number,
        serial: disk.serial,
        size: diskBytes,
        guid: disk.table === 'gpt' ? disk.id.toUpperCase() : '',
        signature: disk.table === 'mbr' ? parseInt(disk.id, 16) : 0,
      },
      { number: 7, serial: 'GT-STICK', size: 8_000_000_000, guid: 'ANOTHER', signature: 1 },
    ],
    partitions: layout.partitions.map((one) => ({
      disk: disk.number,
      offset: one.first * disk.sectorSize,
      size: one.sectors * disk.sectorSize,
      mbrType: disk.table === 'mbr' ? parseInt(one.type, 16) : 0,
    })),
  };
}

describe('the guards of every script that Windows is given, over the whole catalogue', () => {
  it.each(SITUATIONS.map((one) => [one.id, one] as const))('%s', (_, { survey, ask }) => {
    const request = { survey, disk: 0, ...ask };
    const answer = planRoutes(request, { milliseconds: 500 });
    const task = taskOf(machineOf(survey), request);
    if (!answer.ok || !task.ok) throw new Error('it can be planned');
    for (const route of answer.value.routes) {
      const kit = task.value.kits.find((one) => one.id === route.kit)!;
      const sheet = makeSheet(task.value, kit, drawingOf(route));
      if (!sheet.ok) throw new Error(sheet.problems[0]!.message);
      const layouts = certain(layoutsAlong(task.value.disk, route.steps));
      let { bytes } = sheet.value.disk;
      for (const [i, { script, partition }] of stepsOf(sheet.value).entries()) {
        const step = route.steps[i]!;
        const machine = shownAt(task.value, layouts[i]!, bytes);
        if (step.verb === 'enlarge-disk') bytes = step.diskSectors * task.value.disk.sectorSize;
        if (!script) continue;
        const outcome = run(script, machine);
        expect(outcome, script.text).toHaveProperty('reached');
        expect(outcome).not.toEqual({ reached: 'the end' });

        // Each single thing that is not as the sheet says ends it before anything changes, with a sentence.
        const wrong = (change: (machine: Shown) => void): void => {
          const other = structuredClone(machine);
          change(other);
          expect(run(script, other)).toEqual({
            stopped: expect.stringMatching(/^Stopped, nothing was changed: .*[.]$/),
          });
        };
        wrong(({ disks }) => (disks[0]!.serial = 'GT-OTHER'));
        wrong(({ disks }) => (disks[1]!.serial = disks[0]!.serial));
        wrong(({ disks }) => (disks[0]!.size -= 512));
        wrong(({ disks }) => Object.assign(disks[0]!, { guid: 'OTHER', signature: 12345 }));
        if (!partition || step.from === null) continue;
        const offset = partition.first * task.value.disk.sectorSize;
        const here = ({ partitions }: Shown) =>
          partitions.find((one) => one.offset === offset && one.size === partition.bytes)!;
        wrong((other) => (here(other).offset += 1024 * 1024));
        wrong((other) => (here(other).size -= 512));
      }
    }
  });
});

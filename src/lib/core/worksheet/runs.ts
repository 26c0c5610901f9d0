import { addTimes, findEnvironmentHost, multiplySeconds, type Seconds, type Tool } from '../tools';
import { joinNames, startCheck, type Layout, type Step } from '../steps';
import { bytesOf, diskBytes, nameInSentence, type Disk } from '../disk';
import type { Route } from '../planning';
import { formatCount } from '../units';
import type { SheetContext } from './context';
import { checksOf } from './check';
import { environmentScript } from './environment';
import type { Check, RunPart, SheetRun, SheetStep } from './sheet';

/** Consecutive steps of one tool, by their places in the route. */
export interface ToolRun {
  tool: Tool;
  from: number;
  to: number;
}

export function toolRunsOf(steps: readonly Step[], toolOf: (id: string) => Tool): ToolRun[] {
  const runs: ToolRun[] = [];
  steps.forEach((step, i) => {
    const last = runs.at(-1);
    if (last?.tool.id === step.tool) last.to = i + 1;
    else runs.push({ tool: toolOf(step.tool), from: i, to: i + 1 });
  });
  return runs;
}

/**
 * A run as the sheet shows it: what opens it, where its steps become real, what closes it. The restarts that its
 * tool costs (domain facts 7) are waited for at its opening, its commit point and its closing.
 * @param waits whether a step, by its number, waits for a restart under Windows
 */
export function runOf(
  context: SheetContext,
  run: ToolRun,
  at: number,
  steps: SheetStep[],
  waits: (number: number) => boolean,
): SheetRun {
  const { tool } = run;
  const { disk, rates } = context.task;
  const id = `run-${at + 1}`;
  const staged = tool.id !== 'windows';
  const opening = Math.floor(tool.restartsPerRun / 2);
  const restarts = (count: number): Seconds => multiplySeconds(rates.restart, count);
  const check = checksOf(id);
  const number = disk.number + tool.countsFrom;
  const identity = `Disk ${number} (${tool.name} counts from ${tool.countsFrom})${disk.serial ? `, serial ${disk.serial}` : ''}, ${formatCount(diskBytes(disk))} bytes. Compare serial and size, never the number alone.`;
  const environment = environmentChecks(context, run, check);
  const outside = tool.restartsPerRun > 0;
  return {
    id,
    tool: { id: tool.id, name: tool.name, notes: tool.notes },
    disk: number,
    countsFrom: tool.countsFrom,
    staged,
    open: [
      ...environment.before,
      ...(outside
        ? [
            check(
              'start',
              `Make the medium of the ${tool.name.toLowerCase()}, and start the machine from it`,
              [
                'Shut Windows down fully first. Starting from the medium may have to be allowed in the firmware settings: note what is changed there.',
                identity,
              ],
              { waiting: restarts(opening) },
            ),
          ]
        : [
            check(
              'disk',
              at === 0 ? `Open ${tool.name} and find the disk` : `Hand-over: go on with ${tool.name}`,
              [
                ...(at === 0
                  ? []
                  : [
                      'The disk was changed by another tool: let this one read it again before anything else.',
                    ]),
                identity,
              ],
            ),
          ]),
    ],
    parts: partsOf(steps, staged, (part, i) => commitCheck(check, part, i, rates.restart, waits)),
    close: [
      ...startChecks(context, run, check),
      ...(outside
        ? [
            check(
              'leave',
              'Take the medium out and start Windows',
              [
                'Put back what was changed in the firmware settings. A file check at this start is normal: let it finish.',
              ],
              { waiting: restarts(tool.restartsPerRun - opening) },
            ),
          ]
        : []),
      ...environment.after,
    ],
  };
}

/** File by file, which no tool stages. */
const copiesFiles = (step: SheetStep | undefined): boolean => step?.verb === 'copy' || step?.verb === 'join';

/** Staged steps up to the next copy of files, which nobody stages, then that copy, and so on. */
function partsOf(
  steps: readonly SheetStep[],
  staged: boolean,
  commit: (steps: readonly SheetStep[], at: number) => Check,
): RunPart[] {
  if (!staged) return [{ steps: [...steps], commit: null }];
  const groups: SheetStep[][] = [];
  for (const [i, step] of steps.entries()) {
    const alone = copiesFiles(step) || copiesFiles(steps[i - 1]);
    if (groups.length === 0 || alone) groups.push([step]);
    else groups.at(-1)!.push(step);
  }
  return groups.map((group, i) => ({
    steps: group,
    commit: copiesFiles(group[0]) ? null : commit(group, i),
  }));
}

/** Restarts of a part: each unbroken row of steps that wait for one costs one (domain facts 7). */
const rowsOf = (steps: readonly SheetStep[], waits: (number: number) => boolean): number =>
  steps.filter((step, i) => waits(step.number) && (i === 0 || !waits(step.number - 1))).length;

function commitCheck(
  check: ReturnType<typeof checksOf>,
  steps: readonly SheetStep[],
  at: number,
  restart: Seconds,
  waits: (number: number) => boolean,
): Check {
  const rows = rowsOf(steps, waits);
  const [first, last] = [steps[0]!.number, steps.at(-1)!.number];
  return check(
    `commit-${at + 1}`,
    first === last ? `Commit step ${first}` : `Commit steps ${first} to ${last}`,
    [
      `Until here ${first === last ? 'this step is' : 'these steps are'} only staged: nothing of ${first === last ? 'it' : 'them'} is on the disk, and all of it can be taken back in the tool.`,
      'Compare what is staged with this sheet, line by line: count, order, starts and sizes. Then commit.',
      ...(rows > 0
        ? [
            `The tool asks for ${rows === 1 ? 'a restart' : `${rows} restarts`} for this and works before Windows is up. Let it.`,
          ]
        : []),
      'From here on it is real. What has begun is finished, not broken off.',
    ],
    { waiting: addTimes(multiplySeconds(restart, rows), ...steps.map((step) => step.waiting)) },
  );
}

/** Move of what the machine starts from: the start is repaired before Windows is started. */
function startChecks(
  { task, route }: SheetContext,
  { from, to }: ToolRun,
  check: ReturnType<typeof checksOf>,
): Check[] {
  const start = startCheck(task.disk, route.steps.slice(from, to));
  return start ? [check('boot', start.title, start.text)] : [];
}

/** A recovery partition that is moved whole needs its environment off before and on after (domain facts 6). */
function environmentChecks(
  context: SheetContext,
  { from, to }: ToolRun,
  check: ReturnType<typeof checksOf>,
): { before: Check[]; after: Check[] } {
  const { task, route } = context;
  const inUse = findEnvironmentHost(task.machine, task.disk);
  const moved = route.steps
    .slice(from, to)
    .some((step) => step.verb === 'move' && step.partition === inUse?.number);
  if (!inUse || !moved) return { before: [], after: [] };
  const name = nameInSentence(inUse);
  const script = (at: number, on: boolean) => ({ script: environmentScript(context, at, inUse.number, on) });
  return {
    before: [
      check(
        'environment-off',
        'Switch the recovery environment off',
        [`${name} is moved in this part. Windows must not look for it meanwhile.`],
        script(from, false),
      ),
    ],
    after: [
      check(
        'environment-on',
        'Switch the recovery environment on again',
        [`It must report that it is enabled, on ${name}.`],
        script(to, true),
      ),
    ],
  };
}

/** Signs of a normal run, and what must not happen, for this route. */
export function writeRunNotes(
  disk: Disk,
  route: Route,
  layouts: readonly Layout[],
): { normal: string[]; never: string[] } {
  const moved = route.steps.filter((step) => step.verb === 'move');
  const names = [
    ...new Set(
      moved.flatMap((step) => {
        const found = layouts[0]!.partitions.find((one) => one.number === step.partition);
        return found ? [nameInSentence(found)] : [];
      }),
    ),
  ];
  const largest = Math.max(0, ...route.steps.map((step) => step.bytesCopied));
  return {
    normal: [
      'Shortcuts and open programs on touched volumes fail. They work again afterwards.',
      ...(largest > 0
        ? [
            'A bar that stands still for a long time, at 0 or at 99 %. The light of the disk tells whether it works.',
          ]
        : []),
      ...(names.length > 0 ? [`A file check of ${joinNames(names)} at the next start.`] : []),
      ...(disk.media === 'hdd' ? ['The sound of a disk that works hard.'] : []),
    ],
    never: [
      'Nobody interrupts: no power button, no reset, no lid, no pulled plug.',
      ...(route.totals.exposedBytes > 0
        ? ['While a move is exposed, not even to take it back: it is finished first.']
        : []),
      'No other tool touches the disk meanwhile, and nobody starts Windows in between.',
      'No step is left out, and none is done in another order.',
    ],
  };
}

export const sizeOf = (disk: Disk, layout: Layout, number: number): number => {
  const one = layout.partitions.find((candidate) => candidate.number === number);
  return one ? bytesOf(disk, one) : 0;
};

import { execFile } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { readFile, rm, stat } from 'node:fs/promises';
import { dirname, join, parse } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { promisify } from 'node:util';
import { Command, CommanderError, Option } from 'commander';
import { DeviceFailure, type ExecutionProof } from '$core/executor';
import { textChart } from '$core/chart/text';
import { RouteShape, type Route } from '$core/planning/route';
import { type Outcome, refusal, success } from '$core/problem';
import type { Step } from '$core/steps';
import { formatSize, parseSize } from '$core/units';
import { placeDurably, writeDurably } from '../platform/durable';
import { faultOf } from '../platform/validation/schemas';
import { leaveJournal, readStepsText } from './beside';
import { executeRoute, mayGoOn, type Execution, type ExecuteOptions, type RunReport } from './executeRoute';
import { planEnlarging } from './enlargeImage';
import { lockImage } from './imageLock';
import { mayBegin } from './journalFile';
import { imageFiles } from './openDisk';

export { executeRoute };

/** Exit codes, for scripts. */
const EXIT = { done: 0, differs: 1, refused: 2, stopped: 3, interrupted: 130 } as const;
const EXITS = `Exit codes:
  0    carried out and proved, or the step was taken back
  1    carried out, but the proof found something that is not as it was
  2    refused: nothing was written to the disk
  3    stopped on the way: the run stands where it was, and --resume goes on
  130  stopped with Ctrl-C: the run stands where it was, and --resume goes on`;
const MAX_ROUTE = 4 * 2 ** 20;
const TELL_MS = 250;

interface Asked {
  image: string;
  route?: string;
  journal?: string;
  enlargeTo?: string;
  resume?: boolean;
  stepBack?: boolean;
  end?: boolean;
  inPlace?: boolean;
  whole?: boolean;
  proof?: string;
  yes?: boolean;
}

const program = (): Command =>
  new Command('carry-out')
    .description(
      'Carries a route out on a disk’s file (raw, VHD, VHDX, VMDK, qcow2), with a journal and a proof.',
    )
    .requiredOption('--image <file>', 'the file of the disk')
    .option('--route <file>', 'the route to carry out, as the contract writes it')
    .addOption(
      new Option('--enlarge-to <size>', 'or the size of the disk: Windows gets the new room').conflicts(
        'route',
      ),
    )
    .option('--journal <file>', 'where the journal lies; with --enlarge-to beside the image')
    .option('--in-place', 'work on the image itself, not on a copy beside it')
    .option('--whole', 'read everything in use for the proof, not only what is moved')
    .option('--proof <file>', 'write the proof there')
    .addOption(new Option('--resume', 'go on with a run that was begun').conflicts(['stepBack', 'end']))
    .addOption(new Option('--step-back', 'take back the step that is half done').conflicts('end'))
    .option('--end', 'take it back, and end the run there')
    .option('--yes', 'do not ask before --enlarge-to begins')
    .addHelpText('after', `\n${EXITS}`)
    .exitOverride();

/** Carries out what the arguments of a command line say. @returns the exit code */
export async function main(argv: readonly string[]): Promise<number> {
  let asked: Asked;
  try {
    asked = program().parse(argv, { from: 'user' }).opts<Asked>();
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? EXIT.done : EXIT.refused;
    throw error;
  }
  const run = new CommandRun(asked);
  try {
    return await run.all();
  } catch (error) {
    return run.ended(error);
  }
}

class Stopped extends Error {}

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const complain = (line: string): void => void process.stderr.write(`${line}\n`);

class CommandRun {
  private readonly how: ExecuteOptions['how'];
  private readonly disk: string;
  private readonly journal: string;
  private entered = false;
  private interrupted = false;
  private told = 0;

  constructor(private readonly asked: Asked) {
    const { image, journal, inPlace, resume, stepBack, end, route } = asked;
    this.how = resume ? 'resume' : stepBack ? 'back' : end ? 'end' : 'begin';
    const { dir, name, ext } = parse(image);
    this.disk = inPlace ? image : join(dir, `${name}.carried-out${ext}`);
    this.journal = journal ?? (route ? '' : `${this.disk}.journal`);
  }

  async all(): Promise<number> {
    const checked = await this.check();
    if (!checked.ok) return this.refused(checked);
    const steps = await this.steps();
    if (!steps.ok) return this.refused(steps);
    const copied = this.how === 'begin' && !this.asked.inPlace;
    if (copied) {
      const copy = await copyImage(this.asked.image, this.disk);
      if (!copy.ok) return this.refused(copy);
    }
    try {
      return await this.work(steps.value);
    } finally {
      // A copy on which nothing was begun is of no use.
      if (copied && !this.entered) await rm(this.disk, { force: true });
    }
  }

  /** Prints why a run ended early. @returns the exit code */
  ended(error: unknown): number {
    const stands = this.entered || (this.how !== 'begin' && existsSync(this.journal));
    const next = stands
      ? 'The run stands where it was; --resume goes on, --step-back takes its step back.'
      : 'Nothing was begun.';
    if (error instanceof Stopped) {
      complain(`\nStopped. ${next}`);
      return EXIT.interrupted;
    }
    const sentence = sentenceOf(error);
    complain(
      `${sentence ?? `Something went wrong that should not: ${String((error as Error).stack ?? error)}`} ${next}`,
    );
    return stands ? EXIT.stopped : EXIT.refused;
  }

  /** Everything that can be said before anything is copied or read. */
  private async check(): Promise<Outcome<unknown>> {
    const { image, route, proof } = this.asked;
    if (!this.journal) return refusal('refused', 'A journal is needed: say with --journal where it lies.');
    if (this.how === 'begin' && !route && !this.asked.enlargeTo)
      return refusal('refused', 'A route is needed, or a size to enlarge to. --help says more.');
    if (proof !== undefined) {
      const folder = await stat(dirname(proof)).catch(() => null);
      if (!folder?.isDirectory())
        return refusal('refused', `There is no folder ${dirname(proof)} for the proof.`);
      if ((await stat(proof).catch(() => null))?.isDirectory())
        return refusal('refused', `${proof} is a folder, so no proof can be written there.`);
    }
    const files = await imageFiles(this.how === 'begin' ? image : this.disk);
    if (!files.ok) return files;
    return this.how === 'begin' ? mayBegin(this.journal, files.value) : mayGoOn(this.journal, files.value);
  }

  private async steps(): Promise<Outcome<readonly Step[]>> {
    const { route, enlargeTo } = this.asked;
    if (route) return stepsOf(route);
    if (this.how === 'begin') return this.stepsToEnlarge(enlargeTo!);
    const text = await readStepsText(this.journal);
    if (text === null)
      return refusal('refused', `There are no steps beside ${this.journal}. Give the route with --route.`);
    const steps = parsed(text);
    const fault = faultOf(RouteShape.properties.steps, steps);
    return fault
      ? refusal('refused', `The steps beside ${this.journal} are damaged. Give the route with --route.`)
      : success(steps as Step[]);
  }

  /** The steps that make Windows larger, shown first, and begun only after a yes. */
  private async stepsToEnlarge(size: string): Promise<Outcome<readonly Step[]>> {
    const reading = parseSize(size);
    const bytes = reading.ok && reading.entry.kind === 'total' ? reading.entry.bytes : null;
    if (bytes === null) return refusal('refused', `“${size}” is no size. Write it like 120G or 120 GiB.`);
    const plan = await planEnlarging(this.asked.image, bytes);
    if (!plan.ok) return plan;
    const { steps, from, to, disk } = plan.value;
    for (const line of textChart(disk, steps) ?? []) say(line);
    say(`\nWindows: ${formatSize(from)} now, ${formatSize(to)} afterwards. On ${this.disk}.`);
    if (this.asked.yes) return success(steps);
    const lines = createInterface({ input: process.stdin, output: process.stdout });
    const answer = await lines.question('Carry this out? Type yes: ');
    lines.close();
    return answer.trim().toLowerCase() === 'yes' ? success(steps) : refusal('refused', 'Nothing was done.');
  }

  private async work(steps: readonly Step[]): Promise<number> {
    const lock = await lockImage(this.disk);
    if (!lock.ok) return this.refused(lock);
    const interrupt = () => void (this.interrupted = true);
    process.on('SIGINT', interrupt);
    try {
      const outcome = await executeRoute({
        image: this.disk,
        journal: this.journal,
        steps,
        how: this.how,
        extent: this.asked.whole ? 'whole' : 'quick',
        afterCut: this.how !== 'begin',
        fingerprintAbove: null,
        progress: (now) => this.progress(now, steps.length),
        entered: () => (this.entered = true),
      });
      if (process.stderr.isTTY) complain('');
      if (outcome.ok) return await this.reportExecution(outcome.value);
      if (!this.entered) return this.refused(outcome);
      complain(`${messagesOf(outcome)} The run stands between two steps.`);
      return EXIT.stopped;
    } finally {
      process.off('SIGINT', interrupt);
      lock.value.release();
    }
  }

  private async reportExecution(outcome: Execution): Promise<number> {
    if ('proof' in outcome) return this.proved(outcome.proof);
    const { takenBack, finished } = outcome;
    if (this.how === 'end') {
      const aside = await leaveJournal(this.journal, randomUUID().slice(0, 8));
      const kept = aside ? ' What it set aside is kept beside its journal, under another name.' : '';
      say(`The run is ended. ${this.disk} is as after its last whole step.${kept}`);
      return EXIT.done;
    }
    if (finished)
      return this.refused(
        refusal('refused', 'The run is finished, so there is no step to take back. Nothing was written.'),
      );
    if (takenBack === null)
      return this.refused(
        refusal(
          'refused',
          'The run stands between two steps, so there is none to take back. Nothing was written; --resume goes on.',
        ),
      );
    say(`Step ${takenBack + 1} was taken back. ${this.disk} is as before it; --resume goes on from there.`);
    return EXIT.done;
  }

  private async proved(proof: ExecutionProof): Promise<number> {
    if (this.asked.proof)
      await writeDurably(this.asked.proof, `${JSON.stringify(proof, null, 2)}\n`, { over: true });
    const good = proof.verdict === 'proved';
    say(`${this.disk}: ${good ? 'carried out, and nothing was lost' : 'NOT as it should be'}.`);
    for (const difference of proof.differences) say(`  ${difference}`);
    return good ? EXIT.done : EXIT.differs;
  }

  private async progress(now: RunReport, steps: number): Promise<void> {
    if (this.interrupted) throw new Stopped();
    if (Date.now() - this.told < TELL_MS) return;
    this.told = Date.now();
    const line =
      now.phase === 'carrying out'
        ? `step ${now.step + 1} of ${steps}${now.backing ? ', taken back' : ''}: ${formatSize(now.arrived)} of ${formatSize(now.toArrive)}`
        : `${now.phase}: ${formatSize(now.bytes)}`;
    process.stderr.write(process.stderr.isTTY ? `\r\x1b[K${line}` : `${line}\n`);
  }

  private refused(outcome: Outcome<unknown>): number {
    complain(messagesOf(outcome));
    return EXIT.refused;
  }
}

const messagesOf = (outcome: Outcome<unknown>): string =>
  outcome.ok ? '' : outcome.problems.map(({ message }) => message).join('\n');

/** The system's error about an unusable file, in our words; null: it is another error. */
function sentenceOf(error: unknown): string | null {
  if (error instanceof DeviceFailure) return error.message;
  const { code, path } = error as NodeJS.ErrnoException;
  const where = path ?? 'where the journal lies';
  switch (code) {
    case 'ENOSPC':
    case 'EDQUOT':
      return `There is no room left: ${where}.`;
    case 'EACCES':
    case 'EPERM':
    case 'EROFS':
      return `It is not allowed to write there: ${where}.`;
    case 'ENOENT':
      return `It is not there any more: ${where}.`;
    case 'EIO':
      return `It can’t be read or written: ${where}.`;
    default:
      return null;
  }
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

async function stepsOf(path: string): Promise<Outcome<readonly Step[]>> {
  const file = await stat(path).catch(() => null);
  if (!file?.isFile()) return refusal('refused', `There is no file ${path}.`);
  if (file.size > MAX_ROUTE)
    return refusal('refused', 'The route is longer than any: its file has more than 4 MiB.');
  const route = parsed(await readFile(path, 'utf8'));
  if (route === undefined) return refusal('refused', `${path} is no JSON.`);
  const fault = faultOf(RouteShape, route);
  return fault
    ? refusal('refused', `${path} is no route: ${fault.path || 'the whole'}: ${fault.message}`)
    : success((route as Route).steps);
}

/** Copies an image with its holes; under its name it is whole. */
async function copyImage(from: string, to: string): Promise<Outcome<null>> {
  const files = await imageFiles(from);
  if (!files.ok) return files;
  // A copy of the description alone would lead to the bytes of the original.
  if (files.value.length > 1)
    return refusal(
      'refused',
      'This image is made of two files. Copy both yourself, and work on the copy with --in-place.',
    );
  if (existsSync(to))
    return refusal('refused', `There is a copy already (${to}). Resume its run, or move it away.`);
  const fresh = `${to}.${randomUUID().slice(0, 8)}.part`;
  try {
    await promisify(execFile)('cp', ['--sparse=always', '--', from, fresh]);
    await placeDurably(fresh, to, { over: false });
    return success(null);
  } catch (error) {
    const { stderr = '' } = error as { stderr?: string };
    return refusal(
      'refused',
      stderr.includes('No space left')
        ? 'There is no room for a copy of the image. Nothing was begun.'
        : `The image could not be copied: ${stderr.trim().split('\n').at(-1) || String(error)}.`,
    );
  } finally {
    await rm(fresh, { force: true });
  }
}

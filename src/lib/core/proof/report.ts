import { isShort } from '../disk';
import { formatShare, formatSize } from '../units';
import { progressOf, stepsOf, type Tick, type WorkSheet } from '../worksheet';
import type { FileProof } from './fileProof';
import type { Fill, LayoutProof } from './layoutProof';

/** Report on what was done and proved, in words for the machine's owner. */
export interface Report {
  job: number;
  customer: string;
  machine: string;
  /** The day of the proof, YYYY-MM-DD. */
  date: string;
  headline: string;
  done: string[];
  proved: string[];
  /** Work that is still to be done; empty where there is none. */
  open: string[];
  advice: string[];
  volumes: { name: string; before: string; after: string }[];
  who: string;
}

export interface ReportFacts {
  job: number;
  customer: string;
  machine: string;
  sheet: WorkSheet;
  ticks: readonly Tick[];
  layout: LayoutProof;
  files: FileProof | null;
  date: string;
}

export function reportOf({ job, customer, machine, sheet, ticks, layout, files, date }: ReportFacts): Report {
  const { target } = sheet;
  const progress = progressOf(sheet, ticks);
  const whole = layout.verdict === 'proved' && (files === null || files.verdict === 'proved');
  const backup = progress.ticks.get('before-image')?.answers['where'];
  return {
    job,
    customer,
    machine,
    date,
    headline: whole
      ? `${target.name} now has ${formatSize(target.to)}, and everything is still there.`
      : layout.verdict === 'lost' || files?.verdict === 'lost'
        ? `The work on ${target.name} is not finished: something is missing. Your backup has it.`
        : `${target.name} was worked on; some points are still open.`,
    done: doneLines(sheet),
    proved: provedLines(layout, files),
    open: [
      ...layout.differences
        .filter((one) => one.grade !== 'explained')
        .map((one) => `${one.what}: ${one.found} instead of ${one.promised}. ${one.why}`),
      ...(files && files.missing.count > 0 ? [`${files.missing.count} files are missing.`] : []),
      ...(files && files.changed.count > 0
        ? [`${files.changed.count} files have changed since before the work.`]
        : []),
    ],
    advice: [
      backup
        ? `A full backup from before the work is kept here (${backup}). We keep it until you have used the machine for some days.`
        : 'Keep your own backups going: they are the only thing that helps when a disk fails.',
      ...layout.volumes.flatMap(({ name, after }) =>
        after && after.used !== null && isShort(after.size, after.used)
          ? [
              `${name} is short of room again (${formatSize(after.size - after.used)} free). Sort out what is no longer needed.`,
            ]
          : [],
      ),
    ],
    volumes: layout.volumes.map(({ name, before, after }) => ({
      name,
      before: fillText(before),
      after: fillText(after),
    })),
    who: [...new Set([...progress.ticks.values()].map((tick) => tick.who))].join(', '),
  };
}

const fillText = (fill: Fill | null): string =>
  fill === null
    ? 'not there'
    : fill.used === null
      ? formatSize(fill.size)
      : `${formatSize(fill.size)}, ${formatSize(fill.size - fill.used)} free (${formatShare(fill.size - fill.used, fill.size)})`;

function doneLines(sheet: WorkSheet): string[] {
  const { target } = sheet;
  const steps = stepsOf(sheet);
  const found = sheet.asFound.find((piece) => piece.number === target.partition);
  const short = found !== undefined && found.used !== null && isShort(target.from, found.used);
  return [
    `${target.name}${short ? ' was nearly full. It' : ''} was made larger, from ${formatSize(target.from)} to ${formatSize(target.to)}.`,
    ...steps.map((step) => step.why),
  ];
}

function provedLines(layout: LayoutProof, files: FileProof | null): string[] {
  const count = layout.volumes.length;
  return [
    layout.verdict === 'proved'
      ? `After the work the machine was read again: all ${count} volumes are where they belong, with the right size, and ${layout.same} single facts agree with what was promised.`
      : `After the work the machine was read again: ${layout.same} single facts agree with what was promised.`,
    ...(files
      ? [
          `Before and after, a fingerprint was taken of ${files.before.files.toLocaleString('en-GB')} files in ${files.before.folders.join(', ')}: ${files.same.toLocaleString('en-GB')} are the same, bit for bit.`,
        ]
      : ['Single files were not compared.']),
  ];
}

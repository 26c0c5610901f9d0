import type { Figure } from '../steps';
import { formatDuration, formatMib, formatSize } from '../units';
import { stepsOf, type Check, type Script, type SheetStep, type WorkSheet } from './sheet';

/** "Signs that mean something" in Markdown are taken as they stand. */
const plain = (text: string): string => text.replace(/[\\`*_[\]<>#|]/g, '\\$&').replace(/\s+/g, ' ');

/** Job and machine of the sheet. */
export interface MarkdownHeading {
  job: number;
  customer: string;
  machine: string;
  /** Address of the job; it stands at the end. */
  address: string;
  made: string;
  /** Outcome of a rehearsal of its route; null: there was none. */
  rehearsed: string | null;
  /** Why it should not be worked from, though somebody said to do so; null: it holds. */
  despite: string | null;
}

/** The work sheet as Markdown, with a box to tick before every item. */
export function toMarkdown(sheet: WorkSheet, heading: MarkdownHeading): string {
  const { disk, target, totals } = sheet;
  return (
    [
      `# Work sheet, job ${heading.job}: ${plain(sheet.title)}`,
      `${plain(heading.customer)}, ${plain(heading.machine)}. Made ${heading.made}, for ${plain(sheet.kit.name)}.`,
      `Disk ${disk.number} (counted from 0), ${plain(disk.model)}, serial ${plain(disk.serial || 'not known')}, ${disk.bytes} bytes. ${plain(target.name)}: ${formatSize(target.from)} → ${formatSize(target.to)} (${formatMib(target.to, disk.sectorSize)}).`,
      `Hands-on ${formatDuration(totals.handsOn)}, waiting ${formatDuration(totals.waiting)}, exposed ${formatDuration(totals.exposed)}, restarts ${totals.restarts}.`,
      ...(heading.despite ? [`**${plain(heading.despite)}**`] : []),
      ...(heading.rehearsed ? [`**${plain(heading.rehearsed)}**`] : []),
      ...sheet.notes.map((note) => `**${plain(note)}**`),
      '## As found',
      layoutTable(sheet),
      '## Before',
      ...sheet.before.flatMap(checkLines),
      ...sheet.runs.flatMap((run) => [
        `## ${plain(run.tool.name)}: disk ${run.disk} (counts from ${run.countsFrom})`,
        ...(run.tool.notes ? [plain(run.tool.notes)] : []),
        ...run.open.flatMap(checkLines),
        ...run.parts.flatMap(({ steps, commit }) => [
          ...steps.flatMap((step) => stepLines(step, disk.sectorSize)),
          ...(commit ? checkLines(commit) : []),
        ]),
        ...run.close.flatMap(checkLines),
      ]),
      '## While it runs',
      ...sheet.whileItRuns.normal.map((text) => `- Normal: ${plain(text)}`),
      ...sheet.whileItRuns.never.map((text) => `- Never: ${plain(text)}`),
      '## After',
      ...sheet.after.flatMap(checkLines),
      '## If it goes wrong',
      ...stepsOf(sheet).flatMap(wrongLines),
      `The job: ${heading.address}`,
    ].join('\n\n') + '\n'
  );
}

function layoutTable({ asFound, disk }: WorkSheet): string {
  const rows = asFound.map(
    (one) =>
      `| ${one.number ?? ''} | ${plain(one.name)} | ${formatMib(one.first * disk.sectorSize, disk.sectorSize)} | ${formatMib(one.sectors * disk.sectorSize, disk.sectorSize)} | ${one.first} |`,
  );
  return [
    '| No. | Partition | Start | Size | First sector |',
    '| --- | --- | --- | --- | --- |',
    ...rows,
  ].join('\n');
}

const code = (script: Script): string =>
  `${plain(script.title)}:\n\n\`\`\`powershell\n${script.text}\n\`\`\``;

const checkLines = (check: Check): string[] => [
  `- [ ] **${plain(check.title)}**${check.waiting.high > 0 ? ` (waiting ${formatDuration(check.waiting)})` : ''}`,
  ...check.text.map(plain),
  ...(check.values.length > 0
    ? [
        check.values
          .map(({ label, text }) => `- ${plain(label)}: \`${text.replaceAll('`', "'")}\``)
          .join('\n'),
      ]
    : []),
  ...check.asks.map((ask) => `${plain(ask.label)}: ____________`),
  ...(check.script ? [code(check.script)] : []),
];

const figureText = ({ bytes, sector }: Figure, sectorSize: number): string =>
  `${formatMib(bytes, sectorSize)} (${formatSize(bytes)})${sector === undefined ? '' : `, sector ${sector}`}`;

const stepLines = (step: SheetStep, sectorSize: number): string[] => [
  `### Step ${step.number}: ${plain(step.title)}`,
  `- [ ] Done (hands-on ${formatDuration(step.handsOn)}, waiting ${formatDuration(step.waiting)}${step.exposed.high > 0 ? `, exposed ${formatDuration(step.exposed)}` : ''})`,
  ...(step.partition
    ? [
        `Partition: ${plain(step.partition.name)}, ${step.partition.place}, number ${step.partition.number}, ${formatMib(step.partition.bytes, sectorSize)}.`,
      ]
    : []),
  ...step.do.map(plain),
  [
    '| Figure | Exactly |',
    '| --- | --- |',
    ...step.figures.map((figure) => `| ${figure.label} | ${figureText(figure, sectorSize)} |`),
    ...step.values.map(({ label, text }) => `| ${label} | ${plain(text)} |`),
  ].join('\n'),
  ...(step.script ? [code(step.script)] : []),
  `You should now see: ${plain(step.see.text)}`,
  ...step.ifNot.map((text) => `If not: ${plain(text)}`),
];

const wrongLines = (step: SheetStep): string[] => [
  `**Step ${step.number}** ${plain(step.title)}. If it stops half-way: ${plain(step.wrong.midway)}`,
  ...(step.wrong.back.length > 0
    ? [`The way back after it:\n\n${step.wrong.back.map((text, i) => `${i + 1}. ${plain(text)}`).join('\n')}`]
    : []),
  ...step.wrong.lost.map((text) => `- ${plain(text)}`),
];

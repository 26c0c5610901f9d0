import { defineTask } from '../platform/threads/task';
import { renderSVG } from 'uqr';
import type { Content, TableCell } from 'pdfmake/interfaces';
import { formatCount, formatDuration, formatMib, formatSize } from '$core/units';
import {
  stepsOf,
  drawStripPicture,
  type Check,
  type LinePiece,
  type Script,
  type SheetStep,
  type WorkSheet,
} from '$core/worksheet';
import type { Heading, Paper } from './paper';
import { INNER_WIDTH, makePdf, runs, words } from './pdf';

const day = (date: Date): string => date.toISOString().slice(0, 10);

export interface PrintedSheet {
  sheet: WorkSheet;
  heading: Heading;
  paper: Paper;
}

/** The work sheet on paper, readable without colour. */
export function printSheet({ sheet, heading, paper }: PrintedSheet): Promise<Buffer> {
  const { disk } = sheet;
  const strip = (pieces: readonly LinePiece[], changed: number | null, width = INNER_WIDTH): Content => ({
    svg: drawStripPicture(pieces, disk.sectorSize, changed, width, 30),
    width,
    margin: [0, 3, 0, 3],
  });
  const title = `Work sheet, job ${heading.job}`;
  const foot = `${title} · ${heading.customer}, ${heading.machine} · disk ${disk.serial || disk.number} · ${day(heading.made)}`;
  return makePdf(title, foot, paper, [
    head(sheet, heading),
    ...sheet.notes.map((note) => words(note, { bold: true, margin: [0, 4, 0, 0] })),
    words('The disk as found', { style: 'h2' }),
    strip(sheet.asFound, null),
    layoutTable(sheet),
    words('Before', { style: 'h2' }),
    ...sheet.before.map(checkBlock),
    ...sheet.runs.flatMap((run) => [
      words(`${run.tool.name}: disk ${run.disk}`, { style: 'h2' }),
      words(
        [
          `It counts disks from ${run.countsFrom}.`,
          run.staged
            ? 'Its steps are only staged until a commit point below; a copy of files is real at once.'
            : 'Each step is real at once: there is no commit point.',
          run.tool.notes,
        ]
          .join(' ')
          .trim(),
        { style: 'soft', margin: [0, 0, 0, 4] },
      ),
      ...run.open.map(checkBlock),
      ...run.parts.flatMap(({ steps, commit }) => [
        ...steps.map((step) => stepBlock(step, disk.sectorSize, strip)),
        ...(commit ? [commitBlock(commit)] : []),
      ]),
      ...run.close.map(checkBlock),
    ]),
    words('While it runs', { style: 'h2' }),
    { ul: sheet.whileItRuns.normal.map((text) => ({ text: runs(`Normal: ${text}`) })) },
    {
      ul: sheet.whileItRuns.never.map((text) => ({ text: runs(`Never: ${text}`), bold: true })),
      margin: [0, 3, 0, 0],
    },
    words('After', { style: 'h2' }),
    ...sheet.after.map(checkBlock),
    words('If it goes wrong', { style: 'h2' }),
    ...stepsOf(sheet).map(wrongBlock),
  ]);
}

function head(sheet: WorkSheet, heading: Heading): Content {
  const { disk, target, totals } = sheet;
  return {
    columns: [
      [
        words(`Work sheet · job ${heading.job}`, { style: 'soft' }),
        words(sheet.title, { style: 'h1' }),
        words(`${heading.customer}, ${heading.machine}`, { bold: true }),
        words(
          `${sheet.kit.name} · made ${day(heading.made)} · ${sheet.difficulty.grade}: ${sheet.difficulty.why}`,
        ),
        words(
          `Disk ${disk.number} counted from 0, ${disk.number + 1} counted from 1 · ${disk.model || 'model not known'} · serial ${disk.serial || 'not known'} · ${formatCount(disk.bytes)} bytes`,
        ),
        words(
          `${target.name}: ${formatSize(target.from)} → ${formatSize(target.to)}, exactly ${formatMib(target.to, disk.sectorSize)}`,
          { bold: true },
        ),
        words(
          `Hands-on ${formatDuration(totals.handsOn)} · waiting ${formatDuration(totals.waiting)} · exposed ${formatDuration(totals.exposed)} · restarts ${totals.restarts}`,
        ),
        ...(heading.despite ? [words(heading.despite, { bold: true })] : []),
        ...(heading.rehearsed ? [words(heading.rehearsed, { bold: true })] : []),
        ...(sheet.noReturn
          ? [words(`Point of no return: step ${sheet.noReturn.step}. ${sheet.noReturn.why}`)]
          : []),
      ],
      { svg: renderSVG(heading.address, { border: 0 }), width: 62 },
    ],
    columnGap: 14,
  };
}

const LINES = {
  hLineWidth: () => 0.5,
  vLineWidth: () => 0,
  hLineColor: () => '#9aa4ad',
  paddingTop: () => 1.5,
  paddingBottom: () => 1.5,
  paddingLeft: (i: number) => (i === 0 ? 0 : 6),
};

function layoutTable({ asFound, disk }: WorkSheet): Content {
  const cells = (values: string[], bold = false): TableCell[] =>
    values.map((text, i) => ({ text: runs(text), bold, alignment: i > 1 ? 'right' : 'left' }));
  return {
    table: {
      headerRows: 1,
      widths: [18, '*', 'auto', 'auto', 'auto', 'auto'],
      body: [
        cells(['No.', 'Partition', 'Start', 'Size', 'Size', 'First sector'], true),
        ...asFound.map((one) =>
          cells([
            one.number === null ? '' : String(one.number),
            one.name,
            formatMib(one.first * disk.sectorSize, disk.sectorSize),
            formatMib(one.sectors * disk.sectorSize, disk.sectorSize),
            formatSize(one.sectors * disk.sectorSize),
            String(one.first),
          ]),
        ),
      ],
    },
    layout: LINES,
    fontSize: 8.5,
  };
}

/** Its column's width stands in the columns, where the types know it. */
const BOX = {
  canvas: [{ type: 'rect', x: 0, y: 1, w: 11, h: 11, lineWidth: 1, lineColor: '#15202a' }],
  width: 20,
} as unknown as Content;

/** A box to tick with what belongs to it; it stays on one page where it fits. */
const boxed = (title: Content, body: Content[]): Content => ({
  columns: [BOX, { stack: [title, ...body], width: '*' }],
  margin: [0, 2, 0, 4],
  unbreakable: true,
});

const timeText = (handsOn: { high: number; low: number }, waiting: { high: number; low: number }): string =>
  [
    ...(handsOn.high > 0 ? [`hands-on ${formatDuration(handsOn)}`] : []),
    ...(waiting.high > 0 ? [`waiting ${formatDuration(waiting)}`] : []),
  ].join(', ');

function checkBlock(check: Check): Content {
  const time = timeText(check.handsOn, check.waiting);
  const [script, rest] = scriptParts(check.script);
  const block = boxed(
    {
      text: [
        ...runs(check.title, { bold: true }),
        ...(time ? [{ text: `  ${time}`, color: '#4a5661' }] : []),
      ],
    },
    [
      ...check.text.map((text) => words(text)),
      ...(check.values.length > 0 ? [valueTable(check.values)] : []),
      ...check.asks.map((ask) =>
        words(`${ask.label}: ______________________________________________`, { margin: [0, 5, 0, 0] }),
      ),
      ...script,
    ],
  );
  return rest ? { stack: [block, rest] } : block;
}

const commitBlock = (check: Check): Content => ({
  table: { widths: ['*'], body: [[checkBlock(check)]] },
  layout: { hLineWidth: () => 1.4, vLineWidth: () => 1.4 },
  margin: [0, 4, 0, 6],
});

const valueTable = (values: readonly { label: string; text: string }[]): Content => ({
  table: {
    widths: ['auto', '*'],
    body: values.map(({ label, text }) => [
      { text: runs(label) },
      { text: runs(text, { wide: 'WideMono' }), font: 'Mono', fontSize: 8.5 },
    ]),
  },
  layout: LINES,
  margin: [0, 2, 0, 2],
});

/** A short script stays with what it belongs to; a long one may break over pages. */
function scriptParts(script: Script | null): [Content[], Content | null] {
  if (!script) return [[], null];
  const lines = script.text.split('\n');
  const block: Content = {
    stack: [
      words(script.title, { style: 'soft', fontSize: 8, margin: [0, 3, 0, 1] }),
      {
        table: {
          widths: ['*'],
          body: [
            [
              {
                text: runs(script.text, { wide: 'WideMono' }),
                font: 'Mono',
                fontSize: 6.8,
                lineHeight: 1.1,
                preserveLeadingSpaces: true,
              },
            ],
          ],
        },
        layout: {
          hLineWidth: () => 0.5,
          vLineWidth: () => 0.5,
          hLineColor: () => '#9aa4ad',
          vLineColor: () => '#9aa4ad',
          fillColor: () => '#f2f3f4',
        },
      },
    ],
  };
  return lines.length <= 6 ? [[block], null] : [[], { ...block, margin: [20, 0, 0, 6] }];
}

function stepBlock(
  step: SheetStep,
  sectorSize: number,
  strip: (pieces: readonly LinePiece[], changed: number | null, width?: number) => Content,
): Content {
  const exposed = step.exposed.high > 0 ? `, exposed ${formatDuration(step.exposed)}` : '';
  const figures: TableCell[][] = [
    ...step.figures.map((one): TableCell[] => [
      { text: one.label },
      { text: formatMib(one.bytes, sectorSize), bold: true, alignment: 'right' },
      { text: formatSize(one.bytes), alignment: 'right' },
      { text: one.sector === undefined ? '' : `sector ${one.sector}`, alignment: 'right' },
    ]),
    ...step.values.map((one): TableCell[] => [
      { text: one.label },
      { text: runs(one.text), colSpan: 3 },
      '',
      '',
    ]),
  ];
  const [short, long] = scriptParts(step.script);
  const block = boxed(
    {
      text: [
        ...runs(`Step ${step.number}  ${step.title}`, { bold: true }),
        { text: `   ${timeText(step.handsOn, step.waiting)}${exposed}`, color: '#4a5661' },
      ],
    },
    [
      ...(step.partition
        ? [
            words(
              `${step.partition.name}: ${step.partition.place}, number ${step.partition.number} in the survey, ${formatMib(step.partition.bytes, sectorSize)}`,
              { style: 'soft' },
            ),
          ]
        : []),
      ...step.do.map((text) => words(text)),
      {
        table: { widths: ['*', 'auto', 'auto', 'auto'], body: figures },
        layout: LINES,
        margin: [0, 2, 0, 2],
      },
      ...short,
      words(`You should now see: ${step.see.text}`, { bold: true, margin: [0, 2, 0, 0] }),
      strip(step.see.pieces, step.see.changed, INNER_WIDTH - 20),
      ...step.ifNot.map((text) => words(`If not: ${text}`)),
    ],
  );
  return long ? { stack: [block, long] } : block;
}

const wrongBlock = (step: SheetStep): Content => ({
  stack: [
    words(`Step ${step.number}: ${step.title}`, { bold: true }),
    words(`If it stops half-way: ${step.wrong.midway}`),
    ...(step.wrong.back.length > 0
      ? [
          words('The way back once it is done:'),
          { ol: step.wrong.back.map((text) => ({ text: runs(text) })) } as Content,
        ]
      : []),
    ...step.wrong.lost.map((text) => words(text, { style: 'soft' })),
  ],
  margin: [0, 0, 0, 6],
  unbreakable: true,
});

export const sheetPdfTask = defineTask(
  'sheetPdf',
  (input: PrintedSheet): Promise<Uint8Array> => printSheet(input),
  {
    milliseconds: 60_000,
  },
);

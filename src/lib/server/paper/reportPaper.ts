import { defineTask } from '../platform/threads/task';
import { renderSVG } from 'uqr';
import type { Content } from 'pdfmake/interfaces';
import type { Report } from '$core/proof';
import type { Paper } from './paper';
import { makePdf, runs, words } from './pdf';

export interface PrintedReport {
  report: Report;
  /** Address of the job. */
  address: string;
  paper: Paper;
}

/** The report for the customer, meant to fit one page. */
export function reportPdf({ report, address, paper }: PrintedReport): Promise<Buffer> {
  const list = (title: string, lines: readonly string[]): Content[] =>
    lines.length === 0
      ? []
      : [
          words(title, { style: 'h2' }),
          { ul: lines.map((text) => ({ text: runs(text) })), lineHeight: 1.25 },
        ];
  const name = `Report on job ${report.job}`;
  return makePdf(name, `${name} · ${report.customer}, ${report.machine} · ${report.date}`, paper, [
    {
      columns: [
        [
          words('Report on the work done', { style: 'soft' }),
          words(report.headline, { style: 'h1' }),
          words(`${report.customer}, ${report.machine} · ${report.date} · job ${report.job}`),
        ],
        { svg: renderSVG(address, { border: 0 }), width: 56 },
      ],
      columnGap: 14,
    },
    ...list('What was done', report.done),
    words('Room on your volumes', { style: 'h2' }),
    {
      table: {
        headerRows: 1,
        widths: ['*', '*', '*'],
        body: [
          ['Volume', 'Before', 'After'].map((text) => ({ text, bold: true })),
          ...report.volumes.map((one) =>
            [one.name, one.before, one.after].map((text) => ({ text: runs(text) })),
          ),
        ],
      },
      layout: 'lightHorizontalLines',
    },
    ...list('How we know that nothing was lost', report.proved),
    ...list('Still open', report.open),
    ...list('What we recommend', report.advice),
    ...(report.who ? [words(`Done by ${report.who}.`, { margin: [0, 14, 0, 0] })] : []),
  ]);
}

export const reportPdfTask = defineTask(
  'reportPdf',
  (input: PrintedReport): Promise<Uint8Array> => reportPdf(input),
  {
    milliseconds: 60_000,
  },
);

import { createRequire } from 'node:module';
import type { Content, TDocumentDefinitions } from 'pdfmake/interfaces';
import type { Paper } from './paper';

const require = createRequire(import.meta.url);
const hyperlegible = (name: string, weight: number, style: 'normal' | 'italic' = 'normal'): string =>
  require.resolve(`@fontsource/${name}/files/${name}-latin-${weight}-${style}.woff`);
const dejavu = (name: string): string => require.resolve(`dejavu-fonts-ttf/ttf/${name}.ttf`);

const family = (normal: string, bold: string, italics = normal) => ({
  normal,
  bold,
  italics,
  bolditalics: bold,
});

const FONTS = {
  Hyperlegible: family(
    hyperlegible('atkinson-hyperlegible-next', 400),
    hyperlegible('atkinson-hyperlegible-next', 700),
    hyperlegible('atkinson-hyperlegible-next', 400, 'italic'),
  ),
  Mono: family(
    hyperlegible('atkinson-hyperlegible-mono', 400),
    hyperlegible('atkinson-hyperlegible-mono', 700),
  ),
  /** For what the others lack: arrows, other alphabets in names. */
  Wide: family(dejavu('DejaVuSans'), dejavu('DejaVuSans-Bold')),
  WideMono: family(dejavu('DejaVuSansMono'), dejavu('DejaVuSansMono-Bold')),
};

/** Loaded with the first sheet that is printed: a thread that never prints does without. */
async function library() {
  const { default: pdfmake } = await import('pdfmake');
  pdfmake.setFonts(FONTS);
  // Nothing is fetched, and nothing is read but the fonts.
  pdfmake.setUrlAccessPolicy(() => false);
  pdfmake.setLocalAccessPolicy((path) => /\/(@fontsource|dejavu-fonts-ttf)\//.test(path));
  return pdfmake;
}
let loaded: ReturnType<typeof library> | null = null;

/** Millimetres in points. */
export const mm = (value: number): number => (value / 25.4) * 72;
/** Width between the margins of the narrower paper, so that one layout fits both. */
export const INNER_WIDTH = mm(210 - 2 * 15);

/** A document with the workshop's type, its name and place at the foot of every page. */
export async function makePdf(
  title: string,
  foot: string,
  paper: Paper,
  content: Content[],
): Promise<Buffer> {
  const definition: TDocumentDefinitions = {
    info: { title },
    pageSize: paper,
    pageMargins: [mm(15), mm(14), mm(15), mm(16)],
    defaultStyle: { font: 'Hyperlegible', fontSize: 9.5, lineHeight: 1.15, color: '#15202a' },
    styles: {
      h1: { fontSize: 17, bold: true, margin: [0, 0, 0, 4] },
      h2: { fontSize: 12.5, bold: true, margin: [0, 10, 0, 4] },
      soft: { color: '#4a5661' },
    },
    content,
    footer: (page, pages) => ({
      columns: [
        { text: runs(foot), width: '*' },
        { text: `${page} of ${pages}`, alignment: 'right', width: 60 },
      ],
      margin: [mm(15), mm(4), mm(15), 0],
      fontSize: 8,
      color: '#4a5661',
    }),
  };
  loaded ??= library();
  return (await loaded).createPdf(definition).getBuffer();
}

/** Characters of the latin files of the workshop's type; everything else is set in the wide one. */
const HAS =
  /[\t\n\r -~\u00a0-\u00ff\u0131\u0152\u0153\u02c6\u02da\u02dc\u2010-\u2027\u2030\u2039\u203a\u2044\u20ac\u2122\u2212]+/;
const PARTS = new RegExp(`(${HAS.source})`);

export interface TextRun {
  text: string;
  font?: string;
  bold?: boolean;
}

/** A text as runs, each in a font that has its characters. A run takes nothing over from the runs it stands among. */
export function runs(
  text: string,
  { wide = 'Wide', ...look }: { wide?: string } & Partial<TextRun> = {},
): TextRun[] {
  return text
    .split(PARTS)
    .filter((part) => part !== '')
    .map((part) => ({ text: part, ...look, ...(HAS.test(part) ? {} : { font: wide }) }));
}

/** A paragraph. */
export const words = (text: string, more: object = {}): Content => ({ text: runs(text), ...more });

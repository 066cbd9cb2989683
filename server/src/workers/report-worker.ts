import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import pdfmake, { type Content, type TableCell } from 'pdfmake';

/** A report: a title, what it is about, and a table. Plain data, since it travels between threads. */
export interface Report {
  title: string;
  about: string;
  columns: { label: string; width: 'narrow' | 'wide' }[];
  rows: string[][];
  /** When it was made, as it stands at the foot of each page. */
  made: string;
}

/** Over so many columns a page is turned to its side. */
const MOST_UPRIGHT = 5;
const NARROW_POINTS = 48;
const SIZE = 8;
/** Stands for a letter that no type of ours has. */
const NO_LETTER = '\u{FFFD}';

const FOLDER = path.dirname(createRequire(import.meta.url).resolve('@fontsource/ibm-plex-sans/package.json'));

/** The types, each for some of Unicode, as their package says. */
const SUBSETS = Object.entries(
  JSON.parse(readFileSync(path.join(FOLDER, 'unicode.json'), 'utf8')) as Record<string, string>,
)
  .map(([subset, ranges]) => ({ subset: subset.replaceAll(/[[\]]/g, ''), holds: rangesIn(ranges) }))
  // What most texts are made of is tried first.
  .sort((a, b) => Number(b.subset === 'latin') - Number(a.subset === 'latin'));

function rangesIn(text: string): (letter: number) => boolean {
  const ranges = text.split(',').map((range) => {
    const [from = '', to = from] = range.replace('U+', '').split('-');
    return [parseInt(from, 16), parseInt(to, 16)] as const;
  });
  return (letter) => ranges.some(([from, to]) => letter >= from && letter <= to);
}

const fontFile = (subset: string, weight: number): string =>
  path.join(FOLDER, 'files', `ibm-plex-sans-${subset}-${weight}-normal.woff`);
pdfmake.setFonts(
  Object.fromEntries(
    SUBSETS.map(({ subset }) => [subset, { normal: fontFile(subset, 400), bold: fontFile(subset, 600) }]),
  ),
);
pdfmake.setUrlAccessPolicy(() => false);
pdfmake.setLocalAccessPolicy((file) => file.startsWith(FOLDER));

/** A report as a PDF file on A4 pages, with the heading of its table on each. Runs in a worker thread: thousands of rows take seconds. */
export default async function reportPdf({ title, about, columns, rows, made }: Report): Promise<Uint8Array> {
  let unreadable = 0;
  const set = (text: string): { text: { text: string; font: string }[] } => {
    const { runs, isWhole } = runsOf(text);
    if (!isWhole) unreadable += 1;
    return { text: runs };
  };
  const body: TableCell[][] = [
    columns.map(({ label }) => ({ ...set(label), bold: true })),
    ...rows.map((row) => row.map(set)),
  ];
  const content: Content[] = [
    { ...set(title), fontSize: 16, bold: true },
    { ...set(about), margin: [0, 2, 0, 10] },
    {
      layout: 'lightHorizontalLines',
      table: {
        headerRows: 1,
        dontBreakRows: true,
        widths: columns.map(({ width }) => (width === 'narrow' ? NARROW_POINTS : '*')),
        body,
      },
    },
  ];
  if (unreadable > 0)
    content.push({
      ...set(
        `${unreadable} ${unreadable === 1 ? 'text holds' : 'texts hold'} letters that this report has no type for (${NO_LETTER}). An exported table holds them as they are.`,
      ),
      margin: [0, 8, 0, 0],
    });
  const foot = runsOf(`${title} · ${made}`).runs;
  const bytes = await pdfmake
    .createPdf({
      pageSize: 'A4',
      pageOrientation: columns.length > MOST_UPRIGHT ? 'landscape' : 'portrait',
      pageMargins: [36, 36, 36, 40],
      info: { title, creator: 'Flagstone' },
      defaultStyle: { font: 'latin', fontSize: SIZE },
      content,
      footer: (page: number, pages: number): Content => ({
        margin: [36, 12, 36, 0],
        columns: [{ text: foot }, { text: `${page} of ${pages}`, alignment: 'right', width: 60 }],
      }),
    })
    .getBuffer();
  return Uint8Array.from(bytes);
}

/** A text in runs of one type each; letters that none has are replaced. */
function runsOf(text: string): { runs: { text: string; font: string }[]; isWhole: boolean } {
  const runs: { text: string; font: string }[] = [];
  let isWhole = true;
  for (const letter of text.normalize('NFC').replaceAll(/[\r\n\t]+/g, ' ')) {
    const at = letter.codePointAt(0) ?? 0;
    const own = SUBSETS.find(({ holds }) => holds(at))?.subset;
    if (own === undefined) isWhole = false;
    const last = runs.at(-1);
    const font = own ?? last?.font ?? 'latin';
    const shown = own === undefined ? NO_LETTER : letter;
    if (last?.font === font) last.text += shown;
    else runs.push({ text: shown, font });
  }
  return { runs, isWhole };
}

import { parseSlices, parseSyncPoints } from '@flagstone/core/record/marks';
import type { DeliveryProfile, Sidecar } from '@flagstone/core/delivery/profile';
import { AppError } from '@flagstone/core/errors';
import { filledTemplate, parseTemplate } from '@flagstone/core/naming/naming-pattern';
import { MOST_REPORTED } from '@flagstone/contract/exports';
import { fieldLabel, FIELD_NAMES, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import { escapeFormula } from '@flagstone/core/text/spreadsheet-text';
import { stringify } from 'csv-stringify/sync';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { knownTerms, type TermsOf } from '../describing/licences.ts';
import { FIELD_COLUMNS } from '../records/sound-rows.ts';
import type { DeliveryRow } from '../db/deliveries-schema.ts';

/** What is put beside the sounds, by the names that it has there. */
export const BESIDES: Record<Sidecar, string> = {
  table: 'records.csv',
  attribution: 'attribution.txt',
  markers: 'markers.csv',
  report: 'report.pdf',
};

const PAGE = 500;

/** A file of a delivery that was made, with the record of its sound. */
interface DeliveredLine extends Record<string, unknown> {
  path: string;
  from_path: string;
  bytes: number;
  digest: string;
  is_whole: boolean;
  sample_rate_hz: number;
  duration_seconds: number;
}

/** The files that a delivery consists of now, in the order of their paths, page by page. */
async function* delivered(
  app: AppContext,
  { id }: DeliveryRow,
): AsyncGenerator<{ line: DeliveredLine; record: SoundRecord }[]> {
  for (let after = ''; ;) {
    const { rows } = await app.db.execute<DeliveredLine>(sql`
      select r.*, i.path, i.from_path, i.bytes::float8 as bytes, i.digest, (i.part is null and i.try_out = '[]') as is_whole, s.sample_rate_hz, s.duration_seconds
      from delivery_items i join records r on r.sound_id = i.sound_id join sounds s on s.id = i.sound_id
      where i.delivery_id = ${id} and i.state = 'done' and i.path > ${after} order by i.path limit ${PAGE}`);
    const last = rows.at(-1);
    if (!last) return;
    after = last.path;
    yield rows.map((line) => ({
      line,
      record: Object.fromEntries(
        FIELD_NAMES.map((name) => [name, line[FIELD_COLUMNS[name]]]),
      ) as unknown as SoundRecord,
    }));
  }
}

/** The files that go beside the sounds, made of what was delivered, each as a whole: it is a table of at most a hundred thousand lines. */
export async function besidesOf(
  app: AppContext,
  delivery: DeliveryRow,
): Promise<{ name: string; bytes: Uint8Array }[]> {
  const wanted = new Set(delivery.profile.sidecars);
  if (wanted.size === 0) return [];
  const termsOf = await knownTerms(app.db);
  const makers = [...wanted].map((kind) => ({ kind, maker: new MAKERS[kind](delivery, termsOf) }));
  for await (const page of delivered(app, delivery))
    for (const { line, record } of page) for (const { maker } of makers) maker.add(line, record);
  const files: { name: string; bytes: Uint8Array }[] = [];
  for (const { kind, maker } of makers) {
    const bytes = await maker.finish(app);
    if (bytes) files.push({ name: BESIDES[kind], bytes });
  }
  return files;
}

interface Maker {
  add: (line: DeliveredLine, record: SoundRecord) => void;
  /** Undefined where there is nothing to say. */
  finish: (app: AppContext) => Promise<Uint8Array | undefined>;
}

const encoded = (text: string): Uint8Array => new TextEncoder().encode(text);
/** Spreadsheets take a table for UTF-8 only behind it. */
const BYTE_ORDER_MARK = '\ufeff';

/** Comma-separated values (RFC 4180) that no spreadsheet runs. */
function csvOf(header: readonly string[], rows: readonly (string | number)[][]): Uint8Array {
  const safe = rows.map((row) => row.map((cell) => (typeof cell === 'string' ? escapeFormula(cell) : cell)));
  return encoded(BYTE_ORDER_MARK + stringify([[...header], ...safe], { record_delimiter: '\r\n' }));
}

class RecordsTable implements Maker {
  private readonly rows: (string | number)[][] = [];

  add({ path, from_path: from, bytes, digest }: DeliveredLine, record: SoundRecord): void {
    const fields = FIELD_NAMES.map((name) => record[name]);
    this.rows.push([
      path,
      from,
      bytes,
      digest,
      ...fields.map((value) => (Array.isArray(value) ? value.join(', ') : (value ?? ''))),
    ]);
  }

  finish(): Promise<Uint8Array> {
    return Promise.resolve(csvOf(['file', 'source', 'bytes', 'digest', ...FIELD_NAMES], this.rows));
  }
}

/** What people have to be named for, and by which licence: one line for each sound, those of one licence together. */
class AttributionSheet implements Maker {
  private readonly byLicence = new Map<string, string[]>();
  private readonly delivery: DeliveryRow;
  private readonly termsOf: TermsOf;

  constructor(delivery: DeliveryRow, termsOf: TermsOf) {
    this.delivery = delivery;
    this.termsOf = termsOf;
  }

  add({ path }: DeliveredLine, record: SoundRecord): void {
    const terms = this.termsOf(record);
    const licence =
      [record.licence, record.licenceUrl].filter((text) => text !== '').join(', ') +
      (terms?.attribution ? ' (its author has to be named)' : '');
    const by = [record.creator, record.publisher, record.library].filter((text) => text !== '');
    const copyright = record.copyright === '' ? '' : `, ${record.copyright}`;
    const title = record.fxName === '' ? path : `“${record.fxName}”`;
    // A licence may ask for a form of its own.
    const credit = terms && terms.credit !== '' ? creditAfter(terms.credit, record) : '';
    const line =
      credit !== ''
        ? `${credit}  [${path}]`
        : `${title}${by.length === 0 ? '' : ` by ${[...new Set(by)].join(', ')}`}${copyright}  [${path}]`;
    const lines = this.byLicence.get(licence) ?? [];
    lines.push(line);
    this.byLicence.set(licence, lines);
  }

  finish(): Promise<Uint8Array> {
    const { name, forWhom } = this.delivery;
    const parts = [...this.byLicence]
      .sort(([a], [b]) => Number(a === '') - Number(b === '') || a.localeCompare(b))
      .map(
        ([licence, lines]) =>
          `${licence === '' ? 'No licence is known of' : `Licence: ${licence}`}\n\n${lines.map((line) => `  ${line}\n`).join('')}`,
      );
    const heading = `Sounds of “${name}”${forWhom === '' ? '' : `, for ${forWhom}`}\n`;
    return Promise.resolve(encoded(`${heading}\n${parts.join('\n')}`));
  }
}

/** A credit in the form of its licence, `{field}` filled in from the record; as it stands where that is no template. */
function creditAfter(credit: string, record: SoundRecord): string {
  try {
    return filledTemplate(parseTemplate(credit), record, []).trim();
  } catch (error) {
    if (error instanceof AppError) return credit;
    throw error;
  }
}

/** Slices and sync points of whole sounds, in seconds, which are the same at any rate. */
class MarkersTable implements Maker {
  private readonly rows: (string | number)[][] = [];

  add({ path, is_whole: isWhole, sample_rate_hz: rate }: DeliveredLine, record: SoundRecord): void {
    if (!isWhole) return;
    const seconds = (frame: number): string => (frame / rate).toFixed(6);
    for (const { from, to, name } of parseSlices(record.slices))
      this.rows.push([path, 'slice', seconds(from), seconds(to), name]);
    for (const { at, name } of parseSyncPoints(record.syncPoints))
      this.rows.push([path, 'sync point', seconds(at), '', name]);
  }

  finish(): Promise<Uint8Array | undefined> {
    return Promise.resolve(
      this.rows.length === 0 ? undefined : csvOf(['file', 'kind', 'from', 'to', 'name'], this.rows),
    );
  }
}

const REPORTED: readonly FieldName[] = ['fxName', 'description', 'licence'];

/** What was delivered, to be read and filed: each file with its digest. Longer ones than people read are left to the table. */
class PrintedReport implements Maker {
  private readonly rows: string[][] = [];
  private files = 0;
  private readonly delivery: DeliveryRow;

  constructor(delivery: DeliveryRow) {
    this.delivery = delivery;
  }

  add({ path, duration_seconds: seconds, digest }: DeliveredLine, record: SoundRecord): void {
    this.files += 1;
    if (this.rows.length < MOST_REPORTED)
      this.rows.push([path, `${seconds.toFixed(1)} s`, ...REPORTED.map((name) => String(record[name])), digest]);
  }

  async finish(app: AppContext): Promise<Uint8Array> {
    const { name, forWhom, use, profileName, profile } = this.delivery;
    const more =
      this.files > this.rows.length ? `, of which the first ${this.rows.length.toLocaleString('en')} are named` : '';
    return app.workers.makeReport({
      title: name,
      about: [forWhom && `For ${forWhom}`, use, profileName, `${this.files.toLocaleString('en')} files${more}`]
        .filter((text) => text !== '')
        .join('  ·  '),
      columns: [
        { label: 'File', width: 'wide' },
        { label: 'Length', width: 'narrow' },
        ...REPORTED.map((field) => ({ label: fieldLabel(field), width: 'wide' as const })),
        { label: digestName(profile), width: 'wide' },
      ],
      rows: this.rows,
      made: new Date().toISOString().slice(0, 10),
    });
  }
}

/** By what the files of a delivery are proved. */
export const algorithmOf = ({ packing, bagDigest }: DeliveryProfile): 'sha256' | 'sha512' =>
  packing === 'bag' ? bagDigest : 'sha256';
const digestName = (profile: DeliveryProfile): string => (algorithmOf(profile) === 'sha256' ? 'SHA-256' : 'SHA-512');

const MAKERS: Record<Sidecar, new (delivery: DeliveryRow, termsOf: TermsOf) => Maker> = {
  table: RecordsTable,
  attribution: AttributionSheet,
  markers: MarkersTable,
  report: PrintedReport,
};

import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { AppError } from '@flagstone/core/errors';
import { windowedSource } from '@flagstone/core/formats/byte-source';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { applyEdit, type RecordEdit } from '@flagstone/core/record/edit';
import { emptyRecord, FIELDS, type FieldName } from '@flagstone/core/record/fields';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { recordEditSchema } from '@flagstone/contract/record';
import { z } from 'zod';
import type { DriveFiles } from '../disk/drive-files.ts';
import { keyOfFolder, useJournalKeys } from '../disk/journal-keys.ts';
import { settleLeftovers, type Settled } from '../disk/leftovers.ts';
import { readAudio, sha256 } from '../disk/read-audio.ts';
import { rewriteFile } from '../disk/rewrite-file.ts';
import { eachItem, fileOnCommandLine } from './open-file.ts';
import { defaultDataFolder } from '../data-folder.ts';
import { UsageError } from './usage.ts';

/** Up to this much audio, the full digest is told of a file that was written in place too: it costs less than the start of the program. */
const DIGEST_AT_ONCE_BYTES = 64 * 1024 * 1024;

/**
 * `write FILE... --set field=value | --clear field | --from record.json`: sets fields in files, proving the audio unchanged. `--dry-run` says
 * what would change; `--copy` never writes in place; `--keep-time` leaves the modification time; `--id3 2.4` makes new ID3 tags of that
 * version; `--digest` tells the full audio digest whatever the length.
 */
export async function write(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      set: { type: 'string', multiple: true },
      clear: { type: 'string', multiple: true },
      from: { type: 'string' },
      'dry-run': { type: 'boolean' },
      copy: { type: 'boolean' },
      'keep-time': { type: 'boolean' },
      id3: { type: 'string', default: '2.3' },
      digest: { type: 'boolean' },
    },
  });
  if (positionals.length === 0) throw new UsageError('write needs at least one FILE');
  if (values.id3 !== '2.3' && values.id3 !== '2.4') throw new UsageError('--id3 is 2.3 or 2.4');
  const edit = await editFrom(values);
  const options = { id3Version: values.id3 === '2.4' ? (4 as const) : (3 as const) };
  const key = await keyOfFolder(defaultDataFolder());
  if (key) useJournalKeys(key);
  const settled = new Map<string, Settled['conflicts']>();
  const perform = async (given: string): Promise<unknown> => {
    const { files, name, full } = await fileOnCommandLine(given);
    const folder = path.dirname(full);
    const conflicts = settled.get(folder) ?? (await settleLeftovers(folder)).conflicts;
    settled.set(folder, conflicts);
    const conflict = conflicts.find((each) => each.name === name);
    if (conflict) throw conflict.error;
    const { stamp, plan, changed, facts } = await files.withSource('', name, async (source, stamp) => {
      const { facts, record } = await readAudio(source);
      const wanted = applyEdit({ ...emptyRecord(), ...record }, edit, builtInCategoryList());
      return { stamp, facts, ...(await planWrite(windowedSource(source), wanted, options)) };
    });
    const digestWanted = values.digest === true || facts.audioBytes <= DIGEST_AT_ONCE_BYTES;
    const digestNow = () => (digestWanted ? digestOf(files, name) : Promise.resolve(null));
    if (!plan) return { path: given, ok: true, changed: [], how: 'nothing to do', audioDigest: await digestNow() };
    if (values['dry-run']) return { path: given, ok: true, changed, how: 'dry run' };
    const { how, audioDigest } = await rewriteFile(files, '', name, stamp, plan, {
      alwaysCopy: values.copy === true,
      keepTime: values['keep-time'] === true,
    });
    return { path: given, ok: true, changed, how, audioDigest: audioDigest ?? (await digestNow()) };
  };
  return eachItem(positionals, perform, (path, error) => ({
    path,
    ok: false,
    changed: [],
    error: { code: error.code, message: error.message },
  }));
}

async function digestOf(files: DriveFiles, name: string): Promise<string> {
  return files.withSource('', name, async (source) => {
    const { facts }: { facts: AudioFacts } = await readAudio(source);
    return fullAudioDigest(source, facts, sha256());
  });
}

interface Wishes {
  set?: string[] | undefined;
  clear?: string[] | undefined;
  from?: string | undefined;
}

/** What the options ask for: first the record of the file, then single fields. */
async function editFrom({ set = [], clear = [], from }: Wishes): Promise<RecordEdit> {
  if (set.length + clear.length === 0 && from === undefined)
    throw new UsageError('write needs at least one --set field=value, --clear field or --from record.json');
  const parts = [from === undefined ? {} : await recordFromJson(from), ...set.map(parseAssignment)];
  for (const name of clear) parts.push({ [fieldNamed(name).name]: null });
  return { set: Object.assign({}, ...parts) as RecordEdit['set'] };
}

/** A record as JSON: fields by name, or a line of `read`, whose `record` is taken. */
async function recordFromJson(file: string): Promise<NonNullable<RecordEdit['set']>> {
  const text = await readFile(file, 'utf8').catch((cause: Error) => {
    throw new UsageError(`--from ${file}: ${cause.message}`);
  });
  try {
    const json: unknown = JSON.parse(text);
    const line = z.object({ record: z.unknown() }).safeParse(json);
    return recordEditSchema.parse({ set: line.success ? line.data.record : json }).set ?? {};
  } catch (error) {
    const why = error instanceof z.ZodError ? z.prettifyError(error) : (error as Error).message;
    throw new AppError('FIELD_INVALID', `${file} holds no record: ${why}`, { cause: error });
  }
}

function fieldNamed(name: string): (typeof FIELDS)[number] {
  const field = FIELDS.find((candidate) => candidate.name === name);
  if (!field)
    throw new UsageError(`there is no field “${name}”; there are ${FIELDS.map((known) => known.name).join(', ')}`);
  return field;
}

function parseAssignment(text: string): Partial<Record<FieldName, unknown>> {
  const equals = text.indexOf('=');
  if (equals <= 0) throw new UsageError(`--set needs field=value, not “${text}”`);
  const [name, value] = [text.slice(0, equals), text.slice(equals + 1)];
  const { kind } = fieldNamed(name);
  if (kind === 'list') return { [name]: value === '' ? [] : [value] };
  if (kind === 'integer' || kind === 'number') return { [name]: value === '' ? null : Number(value) };
  return { [name]: value };
}

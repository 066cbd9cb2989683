import { parseArgs } from 'node:util';
import { AppError } from '@flagstone/core/errors';
import { windowedSource } from '@flagstone/core/formats/byte-source';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import { planWavWrite } from '@flagstone/core/formats/wav-writer';
import { applyEdit, type RecordEdit } from '@flagstone/core/record/edit';
import { emptyRecord, FIELDS, type FieldName } from '@flagstone/core/record/fields';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { readAudio, sha256 } from '../drives/read-audio.ts';
import { rewriteFile } from '../drives/rewrite-file.ts';
import { eachItem, fileOnCommandLine } from './open-file.ts';
import { UsageError } from './usage.ts';

/** `write FILE... --set field=value`: sets fields in files, proving the audio unchanged. An empty value empties the field. */
export async function write(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: { set: { type: 'string', multiple: true }, 'dry-run': { type: 'boolean' } },
  });
  if (positionals.length === 0) throw new UsageError('write needs at least one FILE');
  if (!values.set) throw new UsageError('write needs at least one --set field=value');
  const edit: RecordEdit = { set: Object.assign({}, ...values.set.map(parseAssignment)) as RecordEdit['set'] };
  const perform = async (given: string): Promise<unknown> => {
    const { files, name } = await fileOnCommandLine(given);
    const prepared = await files.withSource('', name, async (source, stamp) => {
      const { facts, record } = await readAudio(source);
      if (!['WAV', 'RF64', 'BW64'].includes(facts.container))
        throw new AppError(
          'FORMAT_NOT_WRITABLE',
          `${given} is ${facts.container}; writing into it is not possible yet.`,
        );
      const wanted = applyEdit({ ...emptyRecord(), ...record }, edit, builtInCategoryList());
      const { plan, changed } = await planWavWrite(windowedSource(source), wanted);
      return { stamp, plan, changed, digest: plan ? undefined : await fullAudioDigest(source, facts, sha256()) };
    });
    const { plan, changed, stamp } = prepared;
    if (!plan) return { path: given, ok: true, changed: [], how: 'nothing to do', audioDigest: prepared.digest };
    if (values['dry-run']) return { path: given, ok: true, changed, how: 'dry run' };
    const { audioDigest } = await rewriteFile(files, '', name, stamp, plan);
    return { path: given, ok: true, changed, how: 'copy', audioDigest };
  };
  return eachItem(positionals, perform, (path, error) => ({
    path,
    ok: false,
    changed: [],
    error: { code: error.code, message: error.message },
  }));
}

function parseAssignment(text: string): Partial<Record<FieldName, unknown>> {
  const equals = text.indexOf('=');
  if (equals <= 0) throw new UsageError(`--set needs field=value, not “${text}”`);
  const [name, value] = [text.slice(0, equals), text.slice(equals + 1)];
  const field = FIELDS.find((candidate) => candidate.name === name);
  if (!field)
    throw new UsageError(`there is no field “${name}”; there are ${FIELDS.map((known) => known.name).join(', ')}`);
  if (field.kind === 'list') return { [name]: value === '' ? [] : [value] };
  if (field.kind === 'integer' || field.kind === 'number') return { [name]: value === '' ? null : Number(value) };
  return { [name]: value };
}

import path from 'node:path';
import { parseArgs } from 'node:util';
import { AppError } from '@flagstone/core/errors';
import { applyEdit } from '@flagstone/core/record/edit';
import { isEmptyValue, type SoundRecord } from '@flagstone/core/record/fields';
import { recordFromFile } from '@flagstone/core/formats/record-from-file';
import { builtInCategoryList, type CategoryList } from '@flagstone/core/ucs/category-list';
import type { FolderNames } from '@flagstone/core/naming/companions';
import { splitExtension, type BlockName, type NameProblem } from '@flagstone/core/naming/name-blocks';
import { nameAfter, parseTemplate, STANDARD_PATTERN, type NamingPattern } from '@flagstone/core/naming/naming-pattern';
import { readName } from '@flagstone/core/naming/read-name';
import { SHORTENINGS } from '@flagstone/core/naming/shorten-name';
import { readAudio } from '../disk/read-audio.ts';
import { layName, renameTogether } from '../disk/rename-together.ts';
import { eachItem, fileOnCommandLine } from './open-file.ts';
import { UsageError } from './usage.ts';

/**
 * `name FILE...`: the names planned from what the files carry and, where they are silent, from what their names say; one JSON object a line.
 * `--apply` renames those without errors, with the files that bear their names; `--pattern` names after a template instead of the standard;
 * `--shorten` says what becomes of names that are too long.
 */
export async function name(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: { apply: { type: 'boolean' }, pattern: { type: 'string' }, shorten: { type: 'string' } },
  });
  if (positionals.length === 0) throw new UsageError('name needs at least one FILE');
  const categories = builtInCategoryList();
  const pattern = values.pattern === undefined ? STANDARD_PATTERN : patternFrom(values.pattern);
  const shorten = SHORTENINGS.find((each) => each === (values.shorten ?? 'no'));
  if (!shorten) throw new UsageError(`--shorten is one of ${SHORTENINGS.join(', ')}`);
  const folders = new Map<string, FolderNames>();
  return eachItem(positionals, async (given) => {
    const { files, name: current, full } = await fileOnCommandLine(given);
    const { base, extension } = splitExtension(current);
    const inFile = await files.withSource('', current, (source) => readAudio(source));
    const { record, repairs } = withName(
      recordFromFile(inFile.record, current, categories, inFile.unread),
      base,
      categories,
    );
    const planned = nameAfter(pattern, record, extension, categories, shorten);
    const problems = [...repairs, ...planned.problems];
    const folder = path.dirname(full);
    const names = folders.get(folder) ?? (await files.folderNames(''));
    folders.set(folder, names);
    const laid = layName(names, current, planned.name, true);
    if (values.apply && laid.name !== current) {
      const error = problems.find((problem) => problem.severity === 'error');
      if (error) throw new AppError('NAME_BLOCKED', error.message);
      await renameTogether(files, '', { from: current, to: laid.name }, laid.companions);
    }
    const companions = laid.companions.length > 0 ? { companions: laid.companions } : {};
    return { path: given, name: laid.name, blocks: planned.blocks, problems, ...companions };
  });
}

/** A record with what a name nearly in UCS form says of its empty fields, and what had to be put right to read it. */
function withName(
  record: SoundRecord,
  base: string,
  categories: CategoryList,
): { record: SoundRecord; repairs: NameProblem[] } {
  const read = readName(base, categories);
  const set = Object.fromEntries(
    Object.entries(read?.blocks ?? {}).filter(([block]) => isEmptyValue(record[block as BlockName])),
  );
  if (Object.keys(set).length === 0) return { record, repairs: [] };
  return { record: applyEdit(record, { set }, categories), repairs: read?.repairs ?? [] };
}

function patternFrom(template: string): NamingPattern {
  try {
    parseTemplate(template);
  } catch (error) {
    if (error instanceof AppError) throw new UsageError(`--pattern: ${error.message}`);
    throw error;
  }
  return { kind: 'free', template };
}

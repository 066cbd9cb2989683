import path from 'node:path';
import { parseArgs } from 'node:util';
import { AppError } from '@flagstone/core/errors';
import { recordFromFile } from '@flagstone/core/record/from-file';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { freeName, nameKey, splitExtension } from '@flagstone/core/ucs/name-blocks';
import { nameAfter, parseTemplate, STANDARD_PATTERN, type NamingPattern } from '@flagstone/core/ucs/naming-pattern';
import { readAudio } from '../drives/read-audio.ts';
import { eachItem, fileOnCommandLine } from './open-file.ts';
import { UsageError } from './usage.ts';

/**
 * `name FILE...`: the names planned from what the files carry, one JSON object a line; `--apply` renames those without errors, `--pattern`
 * names after a template instead of the standard.
 */
export async function name(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: { apply: { type: 'boolean' }, pattern: { type: 'string' } },
  });
  if (positionals.length === 0) throw new UsageError('name needs at least one FILE');
  const categories = builtInCategoryList();
  const pattern = values.pattern === undefined ? STANDARD_PATTERN : patternFrom(values.pattern);
  const planned = new Set<string>();
  return eachItem(positionals, async (given) => {
    const { files, name: current, full } = await fileOnCommandLine(given);
    const inFile = await files.withSource('', current, async (source) => (await readAudio(source)).record);
    const {
      blocks,
      problems,
      name: wanted,
    } = nameAfter(pattern, recordFromFile(inFile, current, categories), splitExtension(current).extension, categories);
    const folder = path.dirname(full);
    const onDisk = await files.nameKeys('');
    const own = nameKey(current);
    const free = freeName(wanted, (key) => planned.has(`${folder}/${key}`) || (key !== own && onDisk.has(key)));
    planned.add(`${folder}/${nameKey(free)}`);
    if (values.apply && free !== current) {
      const error = problems.find((problem) => problem.severity === 'error');
      if (error) throw new AppError('NAME_BLOCKED', error.message);
      await files.rename('', current, free);
    }
    return { path: given, name: free, blocks, problems };
  });
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

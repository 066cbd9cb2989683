import path from 'node:path';
import { parseArgs } from 'node:util';
import { AppError } from '@flagstone/core/errors';
import { recordFromFile } from '@flagstone/core/record/from-file';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { buildName, freeName, nameKey, splitExtension } from '@flagstone/core/ucs/name-blocks';
import { readAudio } from '../drives/read-audio.ts';
import { eachItem, fileOnCommandLine } from './open-file.ts';
import { UsageError } from './usage.ts';

/** `name FILE...`: the names planned from what the files carry, one JSON object a line; `--apply` renames those without errors. */
export async function name(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({ args, allowPositionals: true, options: { apply: { type: 'boolean' } } });
  if (positionals.length === 0) throw new UsageError('name needs at least one FILE');
  const categories = builtInCategoryList();
  const planned = new Set<string>();
  return eachItem(positionals, async (given) => {
    const { files, name: current, full } = await fileOnCommandLine(given);
    const inFile = await files.withSource('', current, async (source) => (await readAudio(source)).record);
    const {
      blocks,
      problems,
      name: wanted,
    } = buildName(recordFromFile(inFile, current, categories), splitExtension(current).extension, categories);
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

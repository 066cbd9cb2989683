import { createInterface } from 'node:readline/promises';
import { CategorySuggester } from '@flagstone/core/suggest/suggest-category';
import { wordNet } from '../disk/word-net.ts';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { UsageError } from './usage.ts';

/** `suggest`: paths on standard input, one a line; for each one JSON object with up to five suggestions, best first. */
export async function suggest(args: string[]): Promise<number> {
  if (args.length > 0) throw new UsageError('suggest takes no arguments; give paths on standard input');
  const suggester = new CategorySuggester(builtInCategoryList(), wordNet());
  for await (const path of createInterface({ input: process.stdin })) {
    if (path.trim() === '') continue;
    const suggestions = suggester.suggest(path).map(({ catId, score, because }) => ({ catId, score, because }));
    process.stdout.write(`${JSON.stringify({ path, suggestions })}\n`);
  }
  return 0;
}

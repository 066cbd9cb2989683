import path from 'node:path';
import { parseArgs } from 'node:util';
import { defaultDataFolder } from '../data-folder.ts';
import { runDemoProgram } from './demo-program.ts';
import { dropRights } from './drop-rights.ts';
import { UsageError } from './usage.ts';

/** `week-away`: lets a colleague take the third drive of the demo along for a week, so that there is something to bring in step. */
export async function weekAway(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({ args, allowPositionals: true, options: { data: { type: 'string' } } });
  if (positionals.length > 0) throw new UsageError('use\nweek-away [--data DIR]');
  const dataFolder = path.resolve(values.data ?? defaultDataFolder());
  dropRights(dataFolder);
  await runDemoProgram(path.join(dataFolder, 'demo'), 'week');
  return 0;
}

import { AppError } from '@flagstone/core/errors';
import { freeName, nameKey, splitExtension } from '@flagstone/core/ucs/name-blocks';
import { nameAfter, type NamingPattern } from '@flagstone/core/ucs/naming-pattern';
import type { SoundRow } from '@flagstone/contract/record';
import { inArray } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { drives, type JournalProblem } from '../db/schema.ts';
import { patternsOf } from './collections.ts';
import { filesOf } from './drives.ts';
import type { NewItem } from './plans.ts';

/**
 * Plans names after the naming pattern of each copy's collection. Names that are taken, on disk or earlier in the same plan and also when they differ only in
 * case, get a counter. The names of a folder are read once for the whole plan.
 */
export function planRenames(app: AppContext): (rows: SoundRow[]) => Promise<NewItem[]> {
  const takenIn = new Map<string, Set<string> | AppError>();

  const taken = async (row: SoundRow): Promise<Set<string> | AppError> => {
    const place = `${row.driveId}/${row.folder}`;
    const known = takenIn.get(place);
    if (known) return known;
    const [drive] = await app.db
      .select()
      .from(drives)
      .where(inArray(drives.id, [row.driveId]));
    const names = await Promise.resolve()
      .then(() => {
        if (!drive) throw new AppError('NOT_FOUND', `The drive “${row.driveName}” is not known any more.`);
        return filesOf(app, drive).nameKeys(row.folder);
      })
      .catch((error: unknown) => {
        if (error instanceof AppError) return error;
        throw error;
      });
    takenIn.set(place, names);
    return names;
  };

  return async (rows) => {
    const items: NewItem[] = [];
    const patternOf = await patternsOf(
      app,
      rows.map((row) => row.copyId),
    );
    for (const row of rows) items.push(planOne(app, row, patternOf(row.copyId), await taken(row)));
    return items;
  };
}

function planOne(app: AppContext, row: SoundRow, pattern: NamingPattern, taken: Set<string> | AppError): NewItem {
  const planned = nameAfter(pattern, row.record, splitExtension(row.name).extension, app.categories);
  const problems: JournalProblem[] = [...planned.problems];
  const before = { name: row.name };
  const blocked = (): NewItem => ({
    copyId: row.copyId,
    state: 'blocked',
    before,
    after: { name: planned.name, blocks: planned.blocks },
    problems,
  });
  if (taken instanceof AppError)
    problems.push({ code: taken.code, severity: 'error', message: taken.message, remedy: taken.remedy });
  else if (!taken.has(nameKey(row.name))) {
    const error = new AppError('FILE_VANISHED', `${row.name} is not in its folder any more.`);
    problems.push({ code: error.code, severity: 'error', message: error.message, remedy: error.remedy });
  }
  if (taken instanceof AppError || problems.some((problem) => problem.severity === 'error')) return blocked();

  const own = nameKey(row.name);
  const name = freeName(planned.name, (key) => key !== own && taken.has(key));
  taken.add(nameKey(name));
  if (name !== planned.name)
    problems.push({
      code: 'NAME_TAKEN',
      severity: 'notice',
      message: `“${planned.name}” is taken, so a counter is added.`,
    });
  return {
    copyId: row.copyId,
    state: name === row.name ? 'unchanged' : 'planned',
    before,
    after: { name, blocks: planned.blocks },
    problems,
  };
}

import { AppError } from '@flagstone/core/errors';
import { parseCategories } from './category-files.ts';
import { parseTable } from './table-files.ts';
import type { TableAnswer, TableTask } from './table-task.ts';

/** The process that reads one table and ends. What a file made to hurt does here, it does to nobody else. */
process.once('message', (task: TableTask) => {
  void answer(task).then((told) => process.send?.(told, () => process.exit()));
});

async function answer(task: TableTask): Promise<TableAnswer> {
  try {
    const bytes = Buffer.from(task.bytes);
    if (task.what === 'categories') return { ok: true, value: await parseCategories(task.fileName, bytes) };
    return { ok: true, value: await parseTable(bytes, task.format) };
  } catch (error) {
    if (error instanceof AppError) return { ok: false, code: error.code, message: error.message };
    return { ok: false, code: 'TABLE_INVALID', message: `The file cannot be read: ${(error as Error).message}` };
  }
}

import { fork } from 'node:child_process';
import { readFile } from 'node:fs/promises';
import type { TableFormat } from '@flagstone/contract/exports';
import { AppError, type ErrorCode } from '@flagstone/core/errors';
import type { Category } from '@flagstone/core/ucs/category-list';
import { programPath } from './programs.ts';
import type { Table } from './table-files.ts';
import type { TableAnswer, TableTask } from './table-task.ts';

/** A workbook of a few kilobytes can unfold to gigabytes, and keep a processor busy for minutes. */
const MOST_HEAP_MB = 768;
const MOST_MEMORY_BYTES = 1536 * 1024 * 1024;
const WITHIN_MS = 30_000;
const LOOK_EVERY_MS = 100;
const PROGRAM = programPath('table-child');

/** Reads a table of one of the formats that are exported, in a process with limits. Throws TABLE_INVALID, saying where. */
export async function readTable(bytes: Uint8Array, format: TableFormat): Promise<Table> {
  return (await read({ what: 'table', bytes, format }, 'TABLE_INVALID')) as Table;
}

/** The categories in a file, read in a process with limits. Throws LIST_INVALID, saying what is wrong and in which row. */
export async function categoriesFromFile(fileName: string, bytes: Uint8Array): Promise<Category[]> {
  return (await read({ what: 'categories', fileName, bytes }, 'LIST_INVALID')) as Category[];
}

function read(task: TableTask, code: ErrorCode): Promise<unknown> {
  return new Promise((resolve, reject) => {
    const child = fork(PROGRAM, {
      execArgv: [`--max-old-space-size=${MOST_HEAP_MB}`],
      serialization: 'advanced',
      stdio: 'ignore',
    });
    const end = (settle: () => void): void => {
      clearTimeout(late);
      clearInterval(look);
      child.kill('SIGKILL');
      settle();
    };
    const refuse = (why: string): void =>
      end(() => reject(new AppError(code, `The file ${why}. Make it smaller, or save it as CSV.`)));
    const late = setTimeout(() => refuse(`takes more than ${WITHIN_MS / 1000} seconds to read`), WITHIN_MS);
    const look = setInterval(() => {
      void memoryOf(child.pid).then(
        (used) => used > MOST_MEMORY_BYTES && refuse('unfolds to more memory than a table needs'),
      );
    }, LOOK_EVERY_MS);
    child.once('error', (error) => end(() => reject(error)));
    child.once('exit', () => refuse('unfolds to more memory than a table needs, or made its reader fail'));
    child.once('message', (answer: TableAnswer) =>
      end(() => (answer.ok ? resolve(answer.value) : reject(new AppError(answer.code, answer.message)))),
    );
    child.send(task, (error) => error && end(() => reject(error)));
  });
}

/** Resident memory of a process in bytes (proc(5), statm); 0 when it has ended. */
async function memoryOf(pid: number | undefined): Promise<number> {
  const statm = await readFile(`/proc/${pid}/statm`, 'utf8').catch(() => '');
  return Number(statm.split(' ')[1] ?? 0) * 4096;
}

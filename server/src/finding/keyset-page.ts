import { AppError } from '@flagstone/core/errors';
import { z } from 'zod';

/** A keyset page of sound ids (in a batch: copy ids), and the cursor of the next one. */
export interface PageOfIds {
  ids: number[];
  next: string | null;
  /** The total over all pages, where that was found out on the way. */
  total?: number;
}

/** A page from rows of keys, the last of them the number; one row more than asked for says that there is a next page. */
export function pageOf(rows: readonly (string | number)[][], limit: number): PageOfIds {
  const page = rows.slice(0, limit);
  const last = rows.length > limit ? page.at(-1) : undefined;
  return {
    ids: page.map((row) => Number(row.at(-1))),
    next: last ? Buffer.from(JSON.stringify(last)).toString('base64url') : null,
  };
}

/** The keys of a row in an order by so many columns. */
export const keysSchema = (length: number): z.ZodType<(string | number)[]> =>
  z.array(z.union([z.string(), z.number()])).length(length);

/** Decodes a cursor: the sort keys of the previous page's last row. Throws BAD_REQUEST for what is no cursor. */
export function readMark<Keys>(mark: string, keys: z.ZodType<Keys>): Keys {
  try {
    return keys.parse(JSON.parse(Buffer.from(mark, 'base64url').toString()));
  } catch (cause) {
    throw new AppError('BAD_REQUEST', 'The cursor is not one that this list gave.', { cause });
  }
}

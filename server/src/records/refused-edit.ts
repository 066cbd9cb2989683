import { AppError } from '@flagstone/core/errors';
import { applyEdit } from '@flagstone/core/record/edit';
import type { SoundRecord } from '@flagstone/core/record/fields';
import type { AppContext } from '../app-context.ts';

/** Why a record cannot take new values; null when it can. */
export function whyRefused(
  { categories }: Pick<AppContext, 'categories'>,
  record: SoundRecord,
  set: Partial<SoundRecord>,
): string | null {
  try {
    applyEdit(record, { set }, categories);
    return null;
  } catch (error) {
    if (error instanceof AppError) return error.message;
    throw error;
  }
}

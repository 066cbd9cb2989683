import type { TableFormat } from '@flagstone/contract/exports';
import type { ErrorCode } from '@flagstone/core/errors';

/** What is to be read of a file. */
export type TableTask = { bytes: Uint8Array } & (
  { what: 'table'; format: TableFormat } | { what: 'categories'; fileName: string }
);
export type TableAnswer = { ok: true; value: unknown } | { ok: false; code: ErrorCode; message: string };

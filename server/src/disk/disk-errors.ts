import { AppError, type ErrorCode } from '@flagstone/core/errors';

const BY_ERRNO: Record<string, ErrorCode> = {
  ENOENT: 'FILE_VANISHED',
  ENOTDIR: 'FILE_VANISHED',
  EACCES: 'PATH_NOT_READABLE',
  EPERM: 'FILE_READ_ONLY',
  EROFS: 'FOLDER_READ_ONLY',
  ENOSPC: 'DISK_FULL',
  EDQUOT: 'DISK_FULL',
  ENAMETOOLONG: 'NAME_TOO_LONG',
  EEXIST: 'NAME_TAKEN',
  ELOOP: 'LINK_LOOP',
};

/** The error of the file system as one of ours, saying which file; our own errors pass through, anything else is a fault of the program. */
export function diskError(error: unknown, what: string): AppError {
  if (error instanceof AppError) return error;
  const errno = (error as NodeJS.ErrnoException).code ?? '';
  const code = BY_ERRNO[errno] ?? (errno === '' ? 'INTERNAL' : 'IO_FAILED');
  return new AppError(code, `${what}: ${(error as Error).message}`, { cause: error, details: { errno } });
}

/**
 * What an item of a job met with, which is the item's: our own errors and those of the disk. Anything else is thrown on: a fault of the program, a database that went, a job
 * that another process took over.
 */
export function itemError(error: unknown, what: string): AppError {
  if (error instanceof AppError || (error as NodeJS.ErrnoException).code !== undefined) return diskError(error, what);
  throw error;
}

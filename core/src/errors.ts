/**
 * Every error a person can meet, with what to do about it. The codes are stable: they are stored in the journal and in rows of
 * unreadable files, and the server maps each to an HTTP status in one place.
 */
export const ERROR_REMEDIES = {
  BAD_REQUEST: 'Correct the marked values and send again.',
  NOT_FOUND: 'It may have been removed by somebody else; reload the list.',
  EDIT_CONFLICT: 'Choose what stays: theirs, yours, or both.',
  CONFLICT: 'Somebody changed this meanwhile; reload and try again.',
  SIGN_IN_REQUIRED: 'Sign in, then try again. What was typed stays.',
  SIGN_IN_REFUSED: 'Check both. Who forgot the password asks an administrator for a new link.',
  SIGN_IN_SLOWED: 'Wait that long, then try again. Who forgot the password asks an administrator for a new link.',
  LINK_OVER: 'Ask an administrator for a new link.',
  PASSKEY_REFUSED: 'Sign in with the password, and add the passkey anew at your account.',
  PASSWORD_REFUSED: 'Choose another one: a few words that belong together only for you are good.',
  NOT_ALLOWED: 'Ask an administrator to do it, or to give you the right.',
  ORIGIN_REFUSED: 'Open Flagstone itself and do it there. A program that sends requests needs a token.',
  INTERNAL: 'Nothing was lost. Try again; if it happens again, send the log of the server.',
  UNAVAILABLE: 'Wait a moment and try again.',
  DATABASE_TOO_NEW:
    'Start the newer version on this computer too; all processes on one database have to be of one version.',
  DATABASE_UNFIT: 'Have whoever looks after the database mend what is named, then start again.',
  DATABASE_TOO_OLD:
    'Open it once with the last version of November 2026, which brings it up to date, then with this one. Or export the records there and bring them into a new data folder.',
  HOST_REFUSED: 'Open Flagstone by the address that it printed at start (127.0.0.1 or localhost).',

  PATH_OUTSIDE_ROOTS: 'Choose a folder below one of the allowed roots, or start Flagstone with --root DIR.',
  PATH_NOT_FOUND: 'Check the spelling, and that the drive is mounted.',
  PATH_NOT_A_FOLDER: 'Give the path of a folder.',
  PATH_NOT_READABLE: 'Give the account that runs Flagstone permission to read it.',
  DRIVE_DIFFERS: 'Choose the folder that holds the files of this drive, or read it as a drive of its own.',
  SYMLINK_OUTSIDE: 'The link leads out of the drive; move the file onto the drive or add the place it leads to.',
  LINK_LOOP: 'The link leads in a circle. Remove it, or let it lead to a file or folder of the drive.',
  NAME_NOT_UTF8: 'Rename the file so that its name is valid UTF-8, then index again.',
  FILE_VANISHED: 'The file is no longer there. Mount its drive or index the folder again.',
  FILE_CHANGED: 'The file was changed by another program since Flagstone read it. Index the folder again, then repeat.',
  FILE_READ_ONLY: 'Give the account that runs Flagstone permission to write to the file and its folder.',
  FOLDER_READ_ONLY: 'Give the account that runs Flagstone permission to write to the folder.',
  DISK_FULL: 'Free some space on the drive, then repeat.',
  NAME_TOO_LONG: 'Shorten a block of the name; file systems allow 255 bytes.',
  NAME_TAKEN: 'Another file took that name meanwhile. Plan the renaming again.',
  IO_FAILED: 'The drive reported a fault. Check its cable and health, then repeat.',

  FILE_EMPTY: 'The file has no bytes. Restore it from a backup.',
  FORMAT_UNKNOWN: 'If it is no sound, rename it or move it elsewhere; if it is one, convert it to WAV or FLAC.',
  FORMAT_DAMAGED:
    'Repair it or save it anew in an audio editor, or restore it from a backup; Flagstone leaves it as it is.',
  FORMAT_NOT_SUPPORTED: 'Convert it to WAV or FLAC; the file stays as it is.',
  FORMAT_NOT_WRITABLE: 'Convert it to WAV or FLAC to carry metadata; the record is kept in the catalogue.',
  CODEC_NOT_SUPPORTED: 'The sound can be described and renamed, but not drawn.',
  WORK_FAILED:
    'The file is left alone and can still be described and renamed. If another program plays it, save it anew there; keep the original.',
  AUDIO_DAMAGED:
    'Restore it from another copy, or from a backup: Drift lists what is damaged. Have the drive checked; more may follow.',
  AUDIO_CHANGED: 'The write was stopped and the file is as it was. Please report this.',
  CHUNK_TOO_LARGE: 'A metadata chunk is larger than a metadata chunk can sensibly be; the file is probably damaged.',
  OUTGROWS_CONTAINER: 'Shorten the texts, or convert the file to RF64 or FLAC.',

  TOO_LARGE: 'Cut out the part that matters, or send a smaller file.',
  REPORT_TOO_LONG: 'Narrow the list, select fewer sounds or columns, or export a table, which has no limit.',
  TABLE_INVALID: 'Choose a table that was exported, as CSV, TSV, XLSX or JSON Lines, with its heading.',
  SHEET_INVALID: 'Ask whoever made the sheet for another copy of the file; nothing of it was applied.',
  SHEET_TOO_NEW: 'Bring Flagstone up to date, or ask for a sheet in an earlier version of its form.',
  SHEET_TAMPERED: 'Do not apply it. Ask the house that it comes from for the sheet, and tell them what was said here.',
  BACKUP_INVALID:
    'Choose the folder of a backup, with its manifest.json, or another backup. The database is as it was.',
  BACKUP_TOO_NEW: 'Restore it with the version that made it, or a later one. The database is as it was.',
  BACKUP_FAILED: 'Mend what is named, then do it again. The database is as it was.',
  PASSPHRASE_WRONG: 'Give the pass phrase with which it was made, in a file: --passphrase-file FILE.',
  QUERY_INVALID: 'Correct the part of the search line that is named.',
  RECIPE_INVALID: 'Correct the step that is named.',
  RECIPE_TOO_SLOW: 'Make the pattern simpler: without repeats inside repeats.',
  PATTERN_INVALID: 'Correct the naming pattern at the place that is named.',
  NAME_BLOCKED: 'Fill in the missing blocks or correct the illegal ones, then plan again.',
  LICENCE_FORBIDS: 'Leave it out, or have a librarian allow its licence for this delivery, with a reason.',
  ONLY_COPY: 'Set it aside instead, or copy it onto another drive first.',
  PLACE_UNKNOWN: 'Choose it in Setup, Collections, or where sounds are brought in.',
  NOTHING_SELECTED: 'Select at least one row.',
  NOTHING_TO_PROVE: 'Choose a shorter time, or wait until the files are measured.',
  PLAN_NOT_RUNNABLE: 'Make a new plan.',
  NOT_UNDOABLE: 'The history in the card shows what was changed since, and by whom.',
  FIELD_INVALID: 'Correct the value.',
  CATEGORY_UNKNOWN: 'Choose a CatID of the category list.',
  LIST_INVALID: 'The list needs the columns Category, SubCategory, CatID and CatShort.',
} as const;

export type ErrorCode = keyof typeof ERROR_REMEDIES;

/** The one error type of Flagstone: a stable code, a message saying what and where, and a remedy saying what to do. */
export class AppError extends Error {
  readonly code: ErrorCode;
  readonly details: Record<string, unknown>;

  constructor(code: ErrorCode, message: string, options: { details?: Record<string, unknown>; cause?: unknown } = {}) {
    super(message, { cause: options.cause });
    this.name = 'AppError';
    this.code = code;
    this.details = options.details ?? {};
  }

  get remedy(): string {
    return ERROR_REMEDIES[this.code];
  }
}

/** A fault in the bytes of a file, with the format and the offset in bytes where it was met. */
export class FormatError extends AppError {
  readonly format: string;
  readonly offsetBytes: number;

  constructor(code: ErrorCode, format: string, message: string, offsetBytes: number) {
    super(code, message, { details: { format, offsetBytes } });
    this.name = 'FormatError';
    this.format = format;
    this.offsetBytes = offsetBytes;
  }
}

/** A fault that a reader survived: something is off, but the rest was read. */
export interface Issue {
  code: string;
  message: string;
  offsetBytes?: number;
}

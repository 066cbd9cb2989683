import { FormatError, type Issue } from '../errors.ts';

/** Issues after which a file is read but never written: its structure cannot be trusted. */
const STRUCTURAL_ISSUES: readonly string[] = [
  'CHUNK_BEYOND_END',
  'NOT_A_CHUNK',
  'CHUNK_TOO_LARGE',
  'SIZE_NOT_SET',
  'PAD_BYTE_MISSING',
  'HEADERS_SHARE_PAGE',
  'IXML_INVALID',
  'XMP_INVALID',
  'ID3_DAMAGED',
  'COMMENT_BEYOND_END',
];

/** Throws FORMAT_DAMAGED when one of the issues says that the structure cannot be trusted. */
export function refuseDamaged(format: string, issues: readonly Issue[]): void {
  const fault = issues.find((issue) => STRUCTURAL_ISSUES.includes(issue.code));
  if (!fault) return;
  const message = `Not written, since its structure is not as the format demands: ${fault.message}`;
  throw new FormatError('FORMAT_DAMAGED', format, message, fault.offsetBytes ?? 0);
}

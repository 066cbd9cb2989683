import type { ArrivalFile } from '@flagstone/contract/arrivals';
import { MOST_PATH_BYTES } from '@flagstone/core/arrivals/arriving-path';
import { MOST_ANNOUNCED } from '@flagstone/contract/arrivals';
import type { GatheredFile, LeftFile } from './gathered-files.ts';

/** Files that are sent at once: the next is on its way while the server flushes one. */
const AT_ONCE = 3;

/** What sending needs of the world. */
export interface Sending {
  announce: (files: { path: string; bytes: number; heldAs?: string }[]) => Promise<ArrivalFile[]>;
  /** SHA-256 of a file; null where it cannot be read. */
  digest: (file: File) => Promise<string | null>;
  /** Sends a file, from where it was; `sent` hears how many bytes of it are there. Ends when `signal` does. */
  upload: (
    file: File,
    of: Pick<ArrivalFile, 'id' | 'begun'> & { sha256: string },
    sent: (bytes: number) => void,
    signal: AbortSignal,
  ) => Promise<void>;
}

/** How far sending is. */
export interface SendingProgress {
  files: number;
  doneFiles: number;
  bytes: number;
  sentBytes: number;
  /** Files that the server leaves out. */
  leftOut: number;
  /** Files that could not be sent, and why. */
  failed: { path: string; why: string }[];
}

/**
 * Announces files and sends those that are waited for, a few at once. One that cannot be sent is told and the rest goes on. Ends early, by the reason of the signal, when that is aborted; begun again it
 * goes on where it was.
 */
export async function sendFiles(
  files: readonly GatheredFile[],
  left: readonly LeftFile[],
  { announce, digest, upload }: Sending,
  tell: (progress: SendingProgress) => void,
  signal: AbortSignal,
): Promise<SendingProgress> {
  const byPath = new Map(files.map((each) => [each.path, each.file]));
  const waiting: ArrivalFile[] = [];
  const progress: SendingProgress = {
    files: files.length,
    doneFiles: 0,
    bytes: 0,
    sentBytes: 0,
    leftOut: 0,
    failed: [],
  };
  for (const { file } of files) progress.bytes += file.size;
  // What is not sent is listed with the batch all the same.
  for (let at = 0; at < left.length; at += MOST_ANNOUNCED)
    await announce(
      left.slice(at, at + MOST_ANNOUNCED).map(({ path, bytes, heldAs }) => ({
        path: path.slice(0, MOST_PATH_BYTES),
        bytes,
        ...(heldAs === undefined ? {} : { heldAs }),
      })),
    );
  for (let at = 0; at < files.length; at += MOST_ANNOUNCED) {
    const part = files.slice(at, at + MOST_ANNOUNCED).map(({ path, file }) => ({ path, bytes: file.size }));
    for (const known of await announce(part)) {
      signal.throwIfAborted();
      if (known.state === 'announced') waiting.push(known);
      else {
        progress.doneFiles += 1;
        progress.sentBytes += known.bytes;
        if (known.state === 'left') progress.leftOut += 1;
      }
    }
  }
  tell({ ...progress });

  /** Bytes of files that are on their way. */
  const underWay = new Map<string, number>();
  const show = (): void => {
    let bytes = progress.sentBytes;
    for (const sent of underWay.values()) bytes += sent;
    tell({ ...progress, sentBytes: bytes });
  };
  const sendOne = async (known: ArrivalFile): Promise<void> => {
    const file = byPath.get(known.path);
    if (!file) return;
    try {
      const sha256 = known.begun ? '' : ((await digest(file)) ?? '');
      signal.throwIfAborted();
      const sent = (bytes: number): void => {
        underWay.set(known.id, bytes);
        show();
      };
      await upload(file, { id: known.id, begun: known.begun, sha256 }, sent, signal);
    } catch (error) {
      signal.throwIfAborted();
      progress.failed.push({ path: known.path, why: error instanceof Error ? error.message : String(error) });
    }
    underWay.delete(known.id);
    progress.doneFiles += 1;
    progress.sentBytes += file.size;
    show();
  };
  const line = async (): Promise<void> => {
    for (let next = waiting.shift(); next; next = waiting.shift()) await sendOne(next);
  };
  await Promise.all(Array.from({ length: AT_ONCE }, line));
  return progress;
}

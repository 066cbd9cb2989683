import type { ErrorBody } from '@flagstone/contract/endpoint';
import { ElNotification } from 'element-plus';
import { ApiError } from '../api/client.ts';

/** Above the listening strip and the foot of the table, and never over the card, where somebody may be typing. */
const PLACE = { position: 'bottom-left', offset: 150 } as const;

/** The errors that can be read at the moment. */
const onShow = new Set<string>();

/** Shows what went wrong and what to do about it, once while it can be read. */
export function showError(error: unknown): void {
  if (error instanceof DOMException && error.name === 'AbortError') return;
  const known = error instanceof ApiError;
  // The form to sign in says it.
  if (known && error.isSignedOut) return;
  if (!known) console.error(error);
  const title = known ? error.body.message : 'Something went wrong in the browser.';
  const message = known ? error.body.remedy : String(error);
  // A server that is away fails everything that a page asks at once: that is one thing to be told.
  const key = `${title}\n${message}`;
  if (onShow.has(key)) return;
  onShow.add(key);
  ElNotification({ type: 'error', title, message, duration: 8000, onClose: () => void onShow.delete(key), ...PLACE });
}

/**
 * Runs something that may fail and shows its error; returns undefined then. Where `onRefused` is given it is told, instead, that the thing asked for is not there, or not for
 * whoever is signed in.
 */
export async function showingErrors<Result>(
  work: () => Promise<Result>,
  onRefused?: (refused: ErrorBody) => void,
): Promise<Result | undefined> {
  try {
    return await work();
  } catch (error) {
    const isRefused = error instanceof ApiError && ['NOT_FOUND', 'NOT_ALLOWED'].includes(error.body.code);
    if (isRefused && onRefused) onRefused(error.body);
    else showError(error);
    return undefined;
  }
}

let told: { close: () => void } | undefined;

/** Tells briefly that something was done, instead of what was told before. */
export function tell(title: string, message = ''): void {
  told?.close();
  told = ElNotification({ type: 'success', title, message, duration: 3500, ...PLACE });
}

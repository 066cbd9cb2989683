import { errorBodySchema } from '@flagstone/contract/endpoint';
import { DetailedError, Upload } from 'tus-js-client';
import { ApiError, OWN_REQUEST } from '../api/client.ts';
import type { Sending } from './send-files.ts';

/** Of one request; less than what proxies refuse, and what is sent anew when the line breaks is sent from its last byte. */
const CHUNK_BYTES = 64 * 1024 * 1024;
/** Waits between tries when the server does not answer, ms; after a quarter of an hour somebody has to look. */
const RETRY_MS = [500, 2000, 5000, 10_000, 30_000, ...Array<number>(14).fill(60_000)];
/** Said by the server, and no other time will be another answer. */
const FINAL = [400, 401, 403, 404, 409, 410, 413, 422, 507];

/** Sends a file by the tus protocol, from the byte up to which it is there. */
export const uploadFile: Sending['upload'] = (file, { id, begun, sha256 }, sent, signal) =>
  new Promise((resolve, reject) => {
    const upload = new Upload(file, {
      endpoint: '/api/uploads',
      ...(begun ? { uploadUrl: `/api/uploads/${id}` } : {}),
      headers: OWN_REQUEST,
      metadata: { file: id, sha256 },
      chunkSize: CHUNK_BYTES,
      retryDelays: RETRY_MS,
      // What it began it finds by its number, in whichever browser.
      storeFingerprintForResuming: false,
      onShouldRetry: (error) => !FINAL.includes(error.originalResponse?.getStatus() ?? 0),
      onProgress: sent,
      onSuccess: () => resolve(),
      onError: (error) => reject(said(error)),
    });
    signal.addEventListener('abort', () => {
      upload.abort().then(() => reject(signal.reason as Error), reject);
    });
    upload.start();
  });

/** What the server said of it, where it did. */
function said(error: Error | DetailedError): Error {
  const body = error instanceof DetailedError ? error.originalResponse?.getBody() : undefined;
  if (!body) return error;
  try {
    const { originalResponse } = error as DetailedError;
    return new ApiError(originalResponse?.getStatus() ?? 0, errorBodySchema.parse(JSON.parse(body)));
  } catch {
    // An answer of something in between, that is no error of ours.
    return error;
  }
}

import { once } from 'node:events';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import type { Request, Response } from 'express';
import { isPlainPcm, withAudio, type FrameRange } from '../drives/read-samples.ts';
import { decodeView, readViewAudio, wavViewOf, type WavView } from '../drives/wav-view.ts';

const BLOCK_BYTES = 256 * 1024;

/** Bytes of a file, the end not included. */
interface ByteRange {
  start: number;
  end: number;
}

/**
 * Sends a file given by its absolute path, checked before, or a part of it, as WAV, whatever it is: the bytes that the request's range asks for (RFC
 * 9110 §14), made as they are sent. Nobody waits for a player that went on to another sound.
 */
export async function sendWav(request: Request, response: Response, path: string, part?: FrameRange): Promise<void> {
  await withAudio(path, async (source, facts) => {
    const view = wavViewOf(facts, part);
    const { sizeBytes } = view;
    const asked = request.range(sizeBytes);
    response.set('Accept-Ranges', 'bytes').type('audio/wav');
    if (asked === -1) {
      response.status(416).set('Content-Range', `bytes */${sizeBytes}`).end();
      return;
    }
    const [first] = Array.isArray(asked) && asked.type === 'bytes' ? asked : [];
    const range = first ? { start: first.start, end: first.end + 1 } : { start: 0, end: sizeBytes };
    if (first) response.status(206).set('Content-Range', `bytes ${range.start}-${range.end - 1}/${sizeBytes}`);
    response.set('Content-Length', String(range.end - range.start));
    if (request.method === 'HEAD') {
      response.end();
      return;
    }
    const { head, tail, audioBytes } = view;
    await write(response, head.subarray(range.start, range.end));
    const audio = { start: Math.max(0, range.start - head.length), end: Math.min(audioBytes, range.end - head.length) };
    if (audio.end > audio.start)
      await (isPlainPcm(facts) ? sendPcm(response, source, view, audio) : sendDecoded(response, path, view, audio));
    const after = head.length + audioBytes;
    if (range.end > after) await write(response, tail.subarray(Math.max(0, range.start - after), range.end - after));
    response.end();
  });
}

/** Whether more is wanted. */
async function write(response: Response, bytes: Uint8Array): Promise<boolean> {
  if (response.destroyed) return false;
  if (bytes.length > 0 && !response.write(bytes))
    await Promise.race([once(response, 'drain'), once(response, 'close')]);
  return !response.destroyed;
}

async function sendPcm(
  response: Response,
  source: ByteSource,
  view: WavView,
  { start, end }: ByteRange,
): Promise<void> {
  for (let at = start; at < end; at += BLOCK_BYTES) {
    const wanted = Math.min(BLOCK_BYTES, end - at);
    const bytes = await readViewAudio(source, view, at, wanted);
    if (!(await write(response, bytes))) return;
    // A file that became shorter meanwhile ends in silence, so that the promised length is kept.
    if (bytes.length < wanted) return void (await write(response, new Uint8Array(end - at - bytes.length)));
  }
}

async function sendDecoded(response: Response, path: string, view: WavView, { start, end }: ByteRange): Promise<void> {
  const firstFrame = Math.floor(start / view.frameBytes);
  const child = decodeView(path, view, firstFrame);
  response.once('close', () => child.kill('SIGKILL'));
  let skip = start - firstFrame * view.frameBytes;
  let left = end - start;
  for await (const block of child.stdout ?? []) {
    const bytes = (block as Buffer).subarray(Math.min(skip, (block as Buffer).length));
    skip -= (block as Buffer).length - bytes.length;
    const part = bytes.subarray(0, left);
    left -= part.length;
    if (!(await write(response, part)) || left === 0) break;
  }
  child.kill('SIGKILL');
  // Where the decoder gives less than the header promised, silence keeps the promise.
  for (; left > 0 && !response.destroyed; left -= BLOCK_BYTES)
    await write(response, new Uint8Array(Math.min(left, BLOCK_BYTES)));
}

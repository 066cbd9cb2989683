import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import type { Request, Response } from 'express';
import { isPlainPcm, withAudio, type FrameRange } from '../disk/read-samples.ts';
import { decodeView, readViewAudio, wavViewOf, type WavView } from '../disk/wav-view.ts';

const BLOCK_BYTES = 256 * 1024;

/** Bytes of a file, the end not included. */
interface ByteRange {
  start: number;
  end: number;
}

/**
 * Sends a file given by its absolute path, checked before, or a part of it, as WAV, whatever it is: the bytes that the request's range asks for (RFC
 * 9110 §14), made as they are sent. A player that goes on to another sound closes the connection; that is no fault.
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
    await pipeline(Readable.from(bytesOf(source, path, view, range)), response).catch(
      (error: NodeJS.ErrnoException) => {
        if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE') throw error;
      },
    );
  });
}

async function* bytesOf(
  source: ByteSource,
  path: string,
  view: WavView,
  { start, end }: ByteRange,
): AsyncGenerator<Uint8Array> {
  const { head, tail, audioBytes, facts } = view;
  if (start < head.length) yield head.subarray(start, end);
  const audio = { start: Math.max(0, start - head.length), end: Math.min(audioBytes, end - head.length) };
  if (audio.end > audio.start) {
    let sent = 0;
    for await (const bytes of isPlainPcm(facts) ? pcmBytes(source, view, audio) : decodedBytes(path, view, audio)) {
      sent += bytes.length;
      yield bytes;
    }
    // Where a file became shorter, or a decoder gives less than its header promised, silence keeps the promise.
    for (let left = audio.end - audio.start - sent; left > 0; left -= BLOCK_BYTES)
      yield new Uint8Array(Math.min(left, BLOCK_BYTES));
  }
  const after = head.length + audioBytes;
  if (end > after) yield tail.subarray(Math.max(0, start - after), end - after);
}

async function* pcmBytes(source: ByteSource, view: WavView, { start, end }: ByteRange): AsyncGenerator<Uint8Array> {
  for (let at = start; at < end; at += BLOCK_BYTES) {
    const wanted = Math.min(BLOCK_BYTES, end - at);
    const bytes = await readViewAudio(source, view, at, wanted);
    yield bytes;
    if (bytes.length < wanted) return;
  }
}

async function* decodedBytes(path: string, view: WavView, { start, end }: ByteRange): AsyncGenerator<Uint8Array> {
  const firstFrame = Math.floor(start / view.frameBytes);
  const child = decodeView(path, view, firstFrame);
  // What it complains of is nothing that a player could be told; but it waits until it is read.
  child.stderr?.resume();
  let skip = start - firstFrame * view.frameBytes;
  let left = end - start;
  try {
    for await (const block of (child.stdout ?? []) as AsyncIterable<Buffer>) {
      const bytes = block.subarray(Math.min(skip, block.length));
      skip -= block.length - bytes.length;
      const part = bytes.subarray(0, left);
      left -= part.length;
      if (part.length > 0) yield part;
      if (left === 0) return;
    }
  } finally {
    child.kill('SIGKILL');
  }
}

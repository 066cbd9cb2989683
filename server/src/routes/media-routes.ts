import { AppError } from '@flagstone/core/errors';
import { idParams } from '@flagstone/contract/endpoint';
import { exportSchema } from '@flagstone/contract/exports';
import { importQuerySchema } from '@flagstone/contract/imports';
import { heardQuerySchema, partSchema, tryOutSchema } from '@flagstone/contract/listening';
import { createSession } from 'better-sse';
import { MOST_BUCKETS } from '@flagstone/core/audio/peaks';
import { sql } from 'drizzle-orm';
import express, { Router, type Response } from 'express';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { copies } from '../db/schema.ts';
import { copyThatIsHere, peaksOf } from '../listening/analyses.ts';
import { bringBack } from '../intake/imports.ts';
import { redeem, writeZip } from '../delivering/copy-out.ts';
import { EXPORT_TYPES, writeExport } from '../delivering/exports.ts';
import { curvesOf, exportOf, samplesOf, spectrogramOf } from '../listening/listening.ts';
import { soundsLike } from '../finding/sounds-alike.ts';
import { pullListReport } from '../delivering/reports.ts';
import { pullEntry } from '../delivering/pull-lists.ts';
import { personOf } from './acting-person.ts';
import { BigAnswers, giveUpWhenIdle } from './big-answers.ts';
import { sendWav } from './send-wav.ts';

/** The part of a sound that is to be drawn, in frames, and in how many buckets. */
const peaksQuery = z.object({
  from: z.coerce.number().int().min(0).default(0),
  to: z.coerce.number().int().min(1).optional(),
  buckets: z.coerce.number().int().min(1).max(MOST_BUCKETS).default(MOST_BUCKETS),
});
const partQuery = z.object({
  from: z.coerce.number().int().min(0).default(0),
  to: z.coerce.number().int().min(1).default(Number.MAX_SAFE_INTEGER),
});
const spectrogramQuery = partQuery.extend({
  columns: z.coerce.number().int().min(1).max(2048),
  rows: z.coerce.number().int().min(1).max(1024),
  size: z.coerce
    .number()
    .int()
    .refine((size) => size >= 64 && size <= 32_768 && Number.isInteger(Math.log2(size)), 'a power of two is needed'),
  scale: z.enum(['log', 'linear']).default('log'),
  channel: z.coerce.number().int().min(0).max(4096).default(0),
});
const MOST_STEPS_LETTERS = 10_000;
const triedOutQuery = z
  .strictObject({
    from: z.coerce.number().optional(),
    to: z.coerce.number().optional(),
    steps: z.string().max(MOST_STEPS_LETTERS),
  })
  .refine(({ from, to }) => (from === undefined) === (to === undefined), 'names one end of a part alone');
const exportBody = z.strictObject({ part: partSchema.nullable(), tryOut: tryOutSchema });

/** Throws BAD_REQUEST for what is no JSON. */
function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch (cause) {
    throw new AppError('BAD_REQUEST', 'The request is not JSON.', { cause });
  }
}

/** What is no JSON: audio by HTTP ranges, peaks, samples and spectrograms as bytes, files that are made, live events. */
export function mediaRoutes(app: AppContext): Router {
  const router = Router();
  const big = new BigAnswers();

  /** The file as it stands; with `as=wav` as a WAV file, which every browser plays. */
  router.get('/copies/:id/audio', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const { as } = z.object({ as: z.literal('wav').optional() }).parse(request.query);
    const { path } = await copyThatIsHere(app, sql`${copies.id} = ${id}`);
    if (as === 'wav') return sendWav(request, response, path);
    await new Promise<void>((resolve, reject) => {
      response.sendFile(path, { dotfiles: 'allow', cacheControl: false }, (error?: NodeJS.ErrnoException) => {
        // A player that stops loading closes the connection; that is no fault.
        if (error && !isGone(error)) reject(error);
        else resolve();
      });
    });
  });

  /** A part of a file to be kept, with the samples as they are. */
  router.get('/copies/:id/part', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const range = partQuery.parse(request.query);
    const { path, name } = await copyThatIsHere(app, sql`${copies.id} = ${id}`);
    const isWhole = range.from === 0 && range.to === Number.MAX_SAFE_INTEGER;
    response.attachment(`${name.replace(/\.[^.]*$/, '')}${isWhole ? '' : ' part'}.wav`);
    await sendWav(request, response, path, range);
  });

  router.get('/sounds/:id/peaks', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const range = peaksQuery.parse(request.query);
    const { channels, buckets, from, to, values } = await peaksOf(app, id, range);
    sendBytes(response, values, {
      'X-Peaks-Channels': channels,
      'X-Peaks-Buckets': buckets,
      'X-Peaks-From': from,
      'X-Peaks-To': to,
    });
  });

  /** 32-bit floats, one channel after another. */
  router.get('/sounds/:id/samples', async (request, response) => {
    const { id } = idParams.parse(request.params);
    await big.enter(response);
    const { samples, channels, sampleRateHz } = await samplesOf(
      app,
      id,
      partQuery.parse(request.query),
      goneOf(response),
    );
    sendBytes(response, samples, { 'X-Channels': channels, 'X-Sample-Rate': sampleRateHz });
  });

  router.get('/sounds/:id/spectrogram', async (request, response) => {
    const { id } = idParams.parse(request.params);
    sendBytes(response, await spectrogramOf(app, id, spectrogramQuery.parse(request.query), goneOf(response)), {});
  });

  /** Brightness over time, then loudness over time, a byte a value. */
  router.get('/sounds/:id/curves', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const { brightness, brightnessHopSeconds, loudness } = await curvesOf(app, id);
    response.set('Cache-Control', 'no-cache');
    sendBytes(response, Buffer.concat([brightness, loudness]), {
      'X-Brightness-Values': brightness.length,
      'X-Brightness-Hop': brightnessHopSeconds,
    });
  });

  router.post('/sounds/:id/export', express.json({ limit: '256kb' }), async (request, response) => {
    const { id } = idParams.parse(request.params);
    const { part, tryOut } = exportBody.parse(request.body);
    await big.enter(response);
    sendFile(response, await exportOf(app, id, part, tryOut, goneOf(response)));
  });

  /** The same as a plain address, which can be dragged out of the page. */
  router.get('/sounds/:id/tried-out', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const { from, to, steps } = triedOutQuery.parse(request.query);
    const part = from === undefined || to === undefined ? null : partSchema.parse({ from, to });
    await big.enter(response);
    sendFile(response, await exportOf(app, id, part, tryOutSchema.parse(jsonOf(steps)), goneOf(response)));
  });

  router.get('/pull-entries/:id/export', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const { soundId, fromFrame, toFrame, tryOut } = await pullEntry(app, id);
    const part = fromFrame === null || toFrame === null ? null : { from: fromFrame, to: toFrame };
    await big.enter(response);
    sendFile(response, await exportOf(app, soundId, part, tryOut ?? [], goneOf(response)));
  });

  router.get('/copy-out/:ticket', async (request, response) => {
    const { ticket } = z.object({ ticket: z.uuid() }).parse(request.params);
    const asked = redeem(app, ticket);
    response.attachment('sounds.zip').type('application/zip');
    await writeZip(app, asked.request, asked.personId, response, goneOf(response));
  });

  /** To be printed: shown by the browser, which prints it. */
  router.get('/pull-lists/:id/report', async (request, response) => {
    const { id } = idParams.parse(request.params);
    const { name, pdf } = await pullListReport(app, id);
    response.attachment(`${name}.pdf`);
    response.setHeader(
      'Content-Disposition',
      String(response.get('Content-Disposition')).replace('attachment', 'inline'),
    );
    response.type('application/pdf').send(Buffer.from(pdf));
  });

  /** Records as a table, from a form of the page, so that the browser writes it to disk as it comes. */
  router.post('/export', express.urlencoded({ limit: '4mb', extended: false }), async (request, response) => {
    const { request: asked } = z.object({ request: z.string() }).parse(request.body);
    const wanted = exportSchema.parse(jsonOf(asked));
    response.setHeader('Content-Type', EXPORT_TYPES[wanted.format]);
    // A report is looked at and printed; the others are kept.
    const how = wanted.format === 'pdf' ? 'inline' : 'attachment';
    response.setHeader('Content-Disposition', `${how}; filename="sounds.${wanted.format}"`);
    await writeExport(app, wanted, response);
  });

  /** Brings a table back, which is the body; answers with what differs from the records, or what was changed. */
  router.post('/import', express.raw({ limit: '64mb', type: () => true }), async (request, response) => {
    const query = importQuerySchema.parse(request.query);
    if (!Buffer.isBuffer(request.body)) throw new AppError('TABLE_INVALID', 'The file is empty.');
    response.json(await bringBack(app, request.body, query, await personOf(app, request)));
  });

  /** A sound as the body, which is compared and not kept. */
  router.post('/sounds-like', async (request, response) => {
    const { by } = heardQuerySchema.parse(request.query);
    await personOf(app, request);
    response.json(await soundsLike(app, request, by, goneOf(response)));
  });

  router.get('/events', async (request, response) => {
    // Without the database nothing would ever be told: whoever listens has to know that.
    if (!app.live.isConnected) throw new AppError('UNAVAILABLE', 'Flagstone has no connection to its database.');
    const session = await createSession(request, response);
    const stop = [
      app.live.subscribe((event) => session.push(event, 'live')),
      app.live.onLost(() => void response.end()),
    ];
    session.once('disconnected', () => stop.forEach((each) => each()));
  });

  return router;
}

/** Whether an answer failed because whoever asked closed the connection. */
function isGone({ code }: NodeJS.ErrnoException): boolean {
  return ['ECONNABORTED', 'EPIPE', 'ECONNRESET', 'ERR_STREAM_PREMATURE_CLOSE'].includes(code ?? '');
}

/** Aborted when nobody waits for the answer any more. */
function goneOf(response: Response): AbortSignal {
  const waiting = new AbortController();
  response.once('close', () => {
    if (!response.writableFinished) waiting.abort();
  });
  return waiting.signal;
}

function sendBytes(response: Response, bytes: NodeJS.ArrayBufferView, facts: Record<string, number>): void {
  if (!response.get('Cache-Control')) response.set('Cache-Control', 'private, max-age=86400');
  for (const [name, value] of Object.entries(facts)) response.set(name, String(value));
  giveUpWhenIdle(response);
  response.type('application/octet-stream').send(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
}

function sendFile(response: Response, { name, bytes }: { name: string; bytes: Uint8Array<ArrayBuffer> }): void {
  giveUpWhenIdle(response);
  response
    .attachment(name)
    .set('Cache-Control', 'no-store')
    .type('audio/wav')
    .send(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
}

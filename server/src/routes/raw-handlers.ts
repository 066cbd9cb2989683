import { AppError } from '@flagstone/core/errors';
import type { RawApi } from '@flagstone/contract/api';
import type { RawEndpoint } from '@flagstone/contract/endpoint';
import { openApi } from '@flagstone/contract/openapi';
import { partSchema, tryOutSchema } from '@flagstone/contract/listening';
import { sql } from 'drizzle-orm';
import type { Request, Response } from 'express';
import type { AppContext } from '../app-context.ts';
import { copies } from '../db/schema.ts';
import type { Asker } from '../people/asker.ts';
import type { Sight } from '../rights/rights.ts';
import { writeAudit } from '../people/audit-pages.ts';
import { copyThatIsHere, peaksOf } from '../listening/analyses.ts';
import { bringBack } from '../intake/imports.ts';
import { redeem, writeZip } from '../delivering/copy-out.ts';
import { EXPORT_TYPES, writeExport } from '../delivering/exports.ts';
import { curvesOf, exportOf, samplesOf, spectrogramOf } from '../listening/listening.ts';
import { soundsLike } from '../finding/sounds-alike.ts';
import { pullListReport } from '../delivering/reports.ts';
import { pullEntry } from '../delivering/pull-lists.ts';
import { withScratchFile } from '../disk/scratch-file.ts';
import { makeSheet } from '../sheets/make-sheet.ts';
import { queueComparing } from '../sheets/sheet-job.ts';
import { incoming } from './incoming.ts';
import { receiveSheet } from '../sheets/sheets.ts';
import { giveUpWhenIdle, type BigAnswers } from './big-answers.ts';
import { sendWav } from './send-wav.ts';
import { followEvents } from './follow-events.ts';
import { VERSION } from '../version.ts';
import { goneOf } from './gone.ts';

/** Of a change sheet, packed. */
const MOST_SHEET_BYTES = 2 * 1024 * 1024 * 1024;

/** Throws BAD_REQUEST for what is no JSON. */
function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch (cause) {
    throw new AppError('BAD_REQUEST', 'The request is not JSON.', { cause });
  }
}

/** What a handler of a raw endpoint gets: what was asked, parsed, and the answer to be written. */
interface RawCall<Params, Query, Body> {
  params: Params;
  query: Query;
  body: Body;
  /** Who asks; 0 where nobody has to be named. */
  person: number;
  asker: Asker;
  /** The collections in which they have the role that the endpoint needs. */
  sight: Sight;
  request: Request;
  response: Response;
  /** Answers of many megabytes at once. */
  big: BigAnswers;
}

type RawHandlerOf<E> =
  E extends RawEndpoint<infer Params, infer Query, infer Body>
    ? (app: AppContext, call: RawCall<Params, Query, Body>) => Promise<void> | void
    : never;

/** Made when it is first asked for: it is the same as long as the process lives. */
let described: string | undefined;

/** One handler for every raw endpoint of the contract; a missing one does not compile. */
export const rawHandlers: { [Name in keyof RawApi]: RawHandlerOf<RawApi[Name]> } = {
  getHealth: (app, { response }) => {
    const isWell = app.live.isConnected;
    response.status(isWell ? 200 : 503).json({ database: isWell ? 'connected' : 'not connected' });
  },
  getOpenApi: (_app, { response }) => {
    described ??= JSON.stringify(openApi(VERSION));
    response.type('json').send(described);
  },
  streamAudio: async (app, { params, query, sight, request, response }) => {
    const { path } = await copyThatIsHere(app, sql`${copies.id} = ${params.id}`, sight);
    if (query.as === 'wav') return sendWav(request, response, path);
    await new Promise<void>((resolve, reject) => {
      response.sendFile(path, { dotfiles: 'allow', cacheControl: false }, (error?: NodeJS.ErrnoException) => {
        // A player that stops loading closes the connection; that is no fault.
        if (error && !isGone(error)) reject(error);
        else resolve();
      });
    });
  },
  downloadPart: async (app, { params, query, sight, request, response }) => {
    const { path, name } = await copyThatIsHere(app, sql`${copies.id} = ${params.id}`, sight);
    const isWhole = query.from === 0 && query.to === Number.MAX_SAFE_INTEGER;
    response.attachment(`${name.replace(/\.[^.]*$/, '')}${isWhole ? '' : ' part'}.wav`);
    await sendWav(request, response, path, query);
  },
  getPeaks: async (app, { params, query, sight, response }) => {
    const { channels, buckets, from, to, values } = await peaksOf(app, params.id, sight, query);
    sendBytes(response, values, {
      'X-Peaks-Channels': channels,
      'X-Peaks-Buckets': buckets,
      'X-Peaks-From': from,
      'X-Peaks-To': to,
    });
  },
  getSamples: async (app, { params, query, sight, response, big }) => {
    await big.enter(response);
    const { samples, channels, sampleRateHz } = await samplesOf(app, params.id, sight, query, goneOf(response));
    sendBytes(response, samples, { 'X-Channels': channels, 'X-Sample-Rate': sampleRateHz });
  },
  getSpectrogram: async (app, { params, query, sight, response }) =>
    sendBytes(response, await spectrogramOf(app, params.id, sight, query, goneOf(response)), {}),
  getCurves: async (app, { params, response }) => {
    const { brightness, brightnessHopSeconds, loudness } = await curvesOf(app, params.id);
    response.set('Cache-Control', 'no-cache');
    sendBytes(response, Buffer.concat([brightness, loudness]), {
      'X-Brightness-Values': brightness.length,
      'X-Brightness-Hop': brightnessHopSeconds,
    });
  },
  exportTriedOut: async (app, { params, body, sight, response, big }) => {
    await big.enter(response);
    sendFile(response, await exportOf(app, params.id, sight, body.part, body.tryOut, goneOf(response)));
  },
  downloadTriedOut: async (app, { params, query: { from, to, steps }, sight, response, big }) => {
    const part = from === undefined || to === undefined ? null : partSchema.parse({ from, to });
    await big.enter(response);
    sendFile(
      response,
      await exportOf(app, params.id, sight, part, tryOutSchema.parse(jsonOf(steps)), goneOf(response)),
    );
  },
  exportPullEntry: async (app, { params, sight, response, big }) => {
    const { soundId, fromFrame, toFrame, tryOut } = await pullEntry(app, params.id);
    const part = fromFrame === null || toFrame === null ? null : { from: fromFrame, to: toFrame };
    await big.enter(response);
    sendFile(response, await exportOf(app, soundId, sight, part, tryOut ?? [], goneOf(response)));
  },
  exportAudit: async (app, { query, response }) => {
    response.attachment('audit.csv').type('text/csv; charset=utf-8');
    await writeAudit(app.db, query, response);
  },
  downloadZip: async (app, { params, person, sight, response }) => {
    const asked = await redeem(app, params.ticket, person);
    response.attachment('sounds.zip').type('application/zip');
    await writeZip(app, { ...asked, person, seenBy: sight }, response, goneOf(response));
  },
  getPullListReport: async (app, { params, sight, response }) => {
    const { name, pdf } = await pullListReport(app, params.id, sight);
    response.attachment(`${name}.pdf`);
    response.setHeader(
      'Content-Disposition',
      String(response.get('Content-Disposition')).replace('attachment', 'inline'),
    );
    response.type('application/pdf').send(Buffer.from(pdf));
  },
  exportTable: async (app, { body: { request: wanted }, person, sight, response }) => {
    response.setHeader('Content-Type', EXPORT_TYPES[wanted.format]);
    // A report is looked at and printed; the others are kept.
    const how = wanted.format === 'pdf' ? 'inline' : 'attachment';
    response.setHeader('Content-Disposition', `${how}; filename="sounds.${wanted.format}"`);
    await writeExport(app, { ...wanted, selection: { ...wanted.selection, person, seenBy: sight } }, response);
  },
  importTable: async (app, { query, person, sight, request, response }) => {
    if (!Buffer.isBuffer(request.body)) throw new AppError('TABLE_INVALID', 'The file is empty.');
    response.json(await bringBack(app, request.body, query, person, sight));
  },
  makeSheet: async (app, { body: { selection, ...wanted }, person, sight, response }) => {
    const open = (): Response => {
      response.attachment('change-sheet.zip').type('application/zip');
      giveUpWhenIdle(response);
      return response;
    };
    const what = { ...wanted, selection: { ...selection, person, seenBy: sight } };
    await makeSheet(app, what, person, open, goneOf(response));
  },
  receiveSheet: async (app, { person, request, response }) => {
    const id = await withScratchFile(incoming(request), MOST_SHEET_BYTES, goneOf(response), (file) =>
      receiveSheet(app, file, person),
    );
    await queueComparing(app, id, person);
    response.json({ id });
  },
  findAlike: async (app, { query, sight, request, response }) => {
    response.json(await soundsLike(app, incoming(request), query.by, sight, goneOf(response)));
  },
  followEvents: (app, { query, asker, request, response }) => followEvents(app, request, response, asker, query.page),
};

/** Whether an answer failed because whoever asked closed the connection. */
function isGone({ code }: NodeJS.ErrnoException): boolean {
  return ['ECONNABORTED', 'EPIPE', 'ECONNRESET', 'ERR_STREAM_PREMATURE_CLOSE'].includes(code ?? '');
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

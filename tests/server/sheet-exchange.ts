import type { Sheet } from '@flagstone/contract/sheets';
import { sheetsMade } from '@flagstone/server/db/sheets-schema';
import { signedInAs } from '../signed-in.ts';
import { bytesOf, type TestApplication } from './test-application.ts';

/** Asks a house for a sheet of its whole catalogue; the answer as it comes. */
export const askedForSheet = async (app: TestApplication, body: object = {}) =>
  app.nobody
    .post('/api/sheets/make')
    .set('Host', '127.0.0.1')
    .set(signedInAs(1))
    .send({ selection: { kind: 'catalogue', filter: {} }, ...body })
    .buffer()
    .parse(bytesOf);

/** The bytes of a sheet that a house makes, once it is noted there: that comes after its last byte was sent. */
export async function madeSheet(app: TestApplication, body: object = {}): Promise<Buffer> {
  const noted = (): Promise<number> => app.context.db.$count(sheetsMade);
  const before = await noted();
  const answer = await askedForSheet(app, body);
  if (answer.status !== 200 || answer.type !== 'application/zip')
    throw new Error(`${answer.status}: ${(answer.body as Buffer).toString()}`);
  const limit = Date.now() + 10_000;
  while ((await noted()) === before) if (Date.now() > limit) throw new Error('the sheet was not noted');
  return answer.body as Buffer;
}

/** Hands a sheet over; the answer as it comes. */
export const receivedSheet = async (bytes: Buffer, app: TestApplication) =>
  app.nobody
    .post('/api/sheets')
    .set('Host', '127.0.0.1')
    .set(signedInAs(1))
    .set('Content-Type', 'application/zip')
    .send(bytes);

/** Hands a sheet over and waits until it is compared. */
export async function comparedSheet(bytes: Buffer, app: TestApplication): Promise<Sheet> {
  const answer = await receivedSheet(bytes, app);
  if (answer.status !== 200) throw new Error(`${answer.status}: ${JSON.stringify(answer.body)}`);
  const { id } = answer.body as { id: string };
  for (const job of await app.call('listJobs')) if (job.kind === 'sheet') await app.ended(job);
  return app.call('getSheet', { params: { id } });
}

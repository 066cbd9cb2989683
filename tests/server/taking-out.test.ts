import { execFile } from 'node:child_process';
import { chmod, mkdir, mkdtemp, readdir, readFile, rm, stat, symlink, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { CopyOut } from '@flagstone/contract/copy-out';
import { EXPORT_COLUMNS, type ExportRequest, MOST_REPORT_COLUMNS } from '@flagstone/contract/exports';
import { filterSchema } from '@flagstone/contract/selection';
import { copies } from '@flagstone/server/db/schema';
import { eq, sql } from 'drizzle-orm';
import { bytesOf, TestApplication } from './test-application.ts';

const run = promisify(execFile);
const FOLDER = 'pottery/kilns';
let app: TestApplication;
let scratch = '';
let listId = 0;
const idOf = new Map<string, { soundId: number; copyId: number }>();

beforeAll(async () => {
  app = await TestApplication.open();
  scratch = await mkdtemp(path.join(os.tmpdir(), 'flagstone-out-'));
  for (const [index, name] of ['kiln door.wav', 'clay wheel.wav', 'lock gate.wav'].entries())
    await app.put(`${FOLDER}/${name}`, {
      seed: index + 1,
      tags: { info: { INAM: `${name.replace('.wav', '')} — Печь 窯`, ICMT: '' } },
    });
  // The same name in another folder.
  await app.put('weir/lock gate.wav', { seed: 9 });
  const { batchId } = await app.intake();
  await app.call('fileBatch', { params: { id: batchId } });
  for (const row of (await app.call('listCatalogue')).rows) idOf.set(`${row.folder}/${row.name}`, row);
  const lists = await app.call('makePullList', { body: { name: 'Reel “1”', show: 'The Lock Keeper', scene: '12' } });
  listId = lists[0]?.id ?? 0;
  await pull('kiln door.wav', { comment: 'louder, please' });
  await pull('clay wheel.wav', { part: { from: 480, to: 960 } });
});
afterAll(async () => {
  await app.close();
  await rm(scratch, { recursive: true, force: true });
});

const pull = (name: string, values: object) =>
  app.call('addPullEntry', {
    params: { id: listId },
    body: { soundId: idOf.get(`${FOLDER}/${name}`)?.soundId, part: null, tryOut: null, comment: '', ...values },
  });
const get = (address: string) => app.http.get(`/api${address}`).set('Host', '127.0.0.1').buffer(true).parse(bytesOf);
const everything: CopyOut['what'] = {
  kind: 'sounds',
  selection: { kind: 'catalogue', filter: filterSchema.parse({}) },
  cut: 'whole',
};
const fileOf = (relative: string) => readFile(path.join(app.drive, relative));

/** What a reader of PDF files (poppler) finds in one. */
async function textOf(pdf: Buffer): Promise<string> {
  const file = path.join(scratch, 'report.pdf');
  await writeFile(file, pdf);
  return (await run('pdftotext', ['-layout', file, '-'])).stdout;
}

describe('a report', () => {
  const report = (request: Partial<ExportRequest>) =>
    app.http
      .post('/api/export')
      .set('Host', '127.0.0.1')
      .type('form')
      .send({
        request: JSON.stringify({
          selection: { kind: 'catalogue', filter: {} },
          format: 'pdf',
          columns: ['name', 'fxName', 'durationSeconds'],
          title: 'What the pottery has',
          ...request,
        }),
      })
      .buffer(true)
      .parse(bytesOf);

  it('has a title, a count, the chosen columns and every sound', async () => {
    const answer = await report({});
    expect(answer.headers).toMatchObject({
      'content-type': 'application/pdf',
      'content-disposition': 'inline; filename="sounds.pdf"',
    });
    const text = await textOf(answer.body as Buffer);
    for (const words of ['What the pottery has', '4 sounds', 'File name', 'FXName', 'Length (s)'])
      expect(text).toContain(words);
    expect(text.match(/lock gate\.wav/g)).toHaveLength(2);
    expect(text).toMatch(/kiln door.*0\.05/);
  });

  it('sets other alphabets, and says which letters it has no type for', async () => {
    const text = await textOf((await report({})).body as Buffer);
    expect(text).toContain('Печь');
    expect(text).toContain('3 texts hold letters that this report has no type for');
  });

  it('says so when it would have more columns than a page', async () => {
    const answer = await report({ columns: EXPORT_COLUMNS.slice(0, MOST_REPORT_COLUMNS + 1) });
    expect(answer.status).toBe(422);
    expect(String(answer.body)).toContain('REPORT_TOO_LONG');
  });

  it('of a pull list has show, scene, parts, comments and places', async () => {
    const answer = await get(`/pull-lists/${listId}/report`);
    expect(answer.headers['content-disposition']).toMatch(/^inline; filename=/);
    const text = await textOf(answer.body as Buffer);
    for (const words of ['Reel “1”', 'Show: The Lock Keeper', 'Scene: 12', '2 sounds', 'louder, please', FOLDER])
      expect(text).toContain(words);
    expect(text).toMatch(/clay wheel[^]*from 0:00\.0/);
    expect((await get('/pull-lists/99/report')).status).toBe(404);
  });
});

describe('a ZIP file', () => {
  const zipOf = async (request: Omit<CopyOut, 'withRecord'> & Partial<CopyOut>): Promise<string> => {
    const { ticket } = await app.call('prepareCopyOut', { body: request });
    const folder = await mkdtemp(path.join(scratch, 'zip-'));
    const answer = await get(`/copy-out/${ticket}`);
    expect(answer.status).toBe(200);
    await writeFile(path.join(folder, 'it.zip'), answer.body as Buffer);
    // Info-ZIP checks every CRC.
    await run('unzip', ['-q', path.join(folder, 'it.zip'), '-d', path.join(folder, 'in')]);
    return path.join(folder, 'in');
  };

  it('holds the files as they are, each under a name of its own', async () => {
    const folder = await zipOf({ what: everything, tree: false });
    expect((await readdir(folder)).sort()).toEqual([
      'clay wheel.wav',
      'kiln door.wav',
      'lock gate 01.wav',
      'lock gate.wav',
    ]);
    expect(await readFile(path.join(folder, 'kiln door.wav'))).toEqual(await fileOf(`${FOLDER}/kiln door.wav`));
  });

  it('holds them in their folders when that is asked for', async () => {
    const folder = await zipOf({ what: everything, tree: true });
    const [drive = ''] = await readdir(folder);
    expect((await readdir(path.join(folder, drive, FOLDER))).sort()).toEqual([
      'clay wheel.wav',
      'kiln door.wav',
      'lock gate.wav',
    ]);
  });

  it('of a pull list holds marked parts as parts', async () => {
    const folder = await zipOf({ what: { kind: 'list', listId }, tree: false });
    expect((await readdir(folder)).sort()).toEqual(['clay wheel part.wav', 'kiln door.wav']);
    const part = path.join(folder, 'clay wheel part.wav');
    expect((await run('soxi', ['-s', part])).stdout.trim()).toBe('480');
    // SoX decodes the part, and that part of the source, to the same samples.
    const samples = async (file: string, ...effects: string[]) =>
      (await run('sox', ['-D', file, '-t', 's32', '-', ...effects], { encoding: 'buffer' })).stdout;
    const source = path.join(app.drive, FOLDER, 'clay wheel.wav');
    expect(await samples(part)).toEqual(await samples(source, 'trim', '480s', '480s'));
  });

  it('cuts sounds at their slices', async () => {
    const { soundId, copyId } = idOf.get(`${FOLDER}/lock gate.wav`) ?? { soundId: 0, copyId: 0 };
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds: [copyId] }, edit: { set: { slices: '0 480 creak\n600 1200' } } },
    });
    expect(soundId).toBeGreaterThan(0);
    const what: CopyOut['what'] = { ...everything, cut: 'slices' };
    const whole = await app.call('prepareCopyOut', { body: { what: everything, tree: false } });
    const cut = await app.call('prepareCopyOut', { body: { what, tree: false } });
    // Two slices in the place of one file, whose bytes are not counted.
    expect([whole.files, cut.files]).toEqual([4, 5]);
    expect(cut.bytes).toBeLessThan(whole.bytes);
    const folder = await zipOf({
      what: { kind: 'sounds', selection: { kind: 'copies', copyIds: [copyId] }, cut: 'slices' },
      tree: false,
    });
    expect((await readdir(folder)).sort()).toEqual(['lock gate 2.wav', 'lock gate creak.wav']);
  });

  it('names what could not be read, and holds the rest', async () => {
    const gone = path.join(app.drive, 'weir/lock gate.wav');
    const bytes = await readFile(gone);
    await rm(gone);
    const folder = await zipOf({ what: everything, tree: false });
    await writeFile(gone, bytes);
    expect(await readdir(folder)).toHaveLength(4);
    expect(await readFile(path.join(folder, 'LEFT OUT.txt'), 'utf8')).toMatch(
      /^lock gate( 01)?\.wav: .*Mount its drive/,
    );
  });

  it('tells before what the licences of the sounds ask for, and of how many none is known', async () => {
    const { rows } = await app.call('listCatalogue', { query: {} });
    const selection = { kind: 'copies' as const, copyIds: rows.slice(0, 1).map(({ copyId }) => copyId) };
    const set = { licence: 'CC BY-NC 4.0' };
    await app.call('editRecords', { body: { selection, edit: { set } } });
    const { licences } = await app.call('prepareCopyOut', { body: { what: everything, tree: false } });
    expect(licences.map(({ licence, says }) => [licence, says])).toEqual([
      ['', []],
      ['CC BY-NC 4.0', ['no commercial use', 'name its author']],
    ]);
    await app.call('editRecords', { body: { selection, edit: { set: { licence: '' } } } });
  });

  it('is fetched once by its ticket', async () => {
    const { ticket, ...size } = await app.call('prepareCopyOut', { body: { what: everything, tree: false } });
    expect(size).toMatchObject({ files: 4, gone: 0 });
    await get(`/copy-out/${ticket}`);
    expect((await get(`/copy-out/${ticket}`)).status).toBe(404);
    expect((await get('/copy-out/no-ticket')).status).toBe(400);
  });

  it('is fetched from whichever process of the server, within an hour', async () => {
    const body = { what: everything, tree: false };
    const { ticket } = await app.call('prepareCopyOut', { body });
    await app.restart();
    expect((await get(`/copy-out/${ticket}`)).status).toBe(200);
    const { ticket: old } = await app.call('prepareCopyOut', { body });
    await app.context.db.execute(sql`update copy_out_tickets set created_at = now() - interval '61 minutes'`);
    expect((await get(`/copy-out/${old}`)).status).toBe(404);
    // What is too old goes when the next one is given.
    await app.call('prepareCopyOut', { body });
    const { rows } = await app.context.db.execute(sql`select count(*)::int as count from copy_out_tickets`);
    expect(rows).toEqual([{ count: 1 }]);
  });

  it('has so many tickets at the most, the newest, and goes to one of two who ask at once', async () => {
    const body = { what: everything, tree: false };
    const { ticket: oldest } = await app.call('prepareCopyOut', { body });
    for (let asked = 0; asked < 100; asked += 1) await app.call('prepareCopyOut', { body });
    const { rows } = await app.context.db.execute(sql`select count(*)::int as count from copy_out_tickets`);
    expect(rows).toEqual([{ count: 100 }]);
    expect((await get(`/copy-out/${oldest}`)).status).toBe(404);
    const { ticket } = await app.call('prepareCopyOut', { body });
    const both = await Promise.all([get(`/copy-out/${ticket}`), get(`/copy-out/${ticket}`)]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 404]);
  });
});

describe('copying out to a folder', () => {
  const copyTo = async (folder: string, tree = false) =>
    app.ended(await app.call('copyOutToFolder', { body: { what: everything, tree, folder } }));
  const made = async (name: string): Promise<string> => {
    const folder = path.join(app.drive, name);
    await mkdir(folder);
    return folder;
  };
  const usesOf = async (name: string) =>
    (await app.call('listCatalogue')).rows.find((row) => row.name === name)?.uses ?? 0;

  it('copies byte for byte, leaves nothing else there, and counts as use', async () => {
    const folder = await made('out');
    const before = await usesOf('kiln door.wav');
    expect(await copyTo(folder)).toMatchObject({ state: 'done', done: 4, failed: 0, total: 4 });
    expect(await readdir(folder)).toHaveLength(4);
    expect(await readFile(path.join(folder, 'kiln door.wav'))).toEqual(await fileOf(`${FOLDER}/kiln door.wav`));
    expect(await usesOf('kiln door.wav')).toBe(before + 1);
  });

  it('gives each file the rights that its folder gives to others, not those of a secret', async () => {
    const folder = await made('shared');
    await chmod(folder, 0o2775);
    expect(await copyTo(folder)).toMatchObject({ done: 4, failed: 0 });
    const { uid, gid } = await stat(folder);
    for (const name of await readdir(folder)) {
      const file = await stat(path.join(folder, name));
      expect([name, (file.mode & 0o777).toString(8), file.uid, file.gid]).toEqual([name, '664', uid, gid]);
    }
  });

  it('is refused before it begins when the folder has not so much room', async () => {
    const { db } = app.context;
    const folder = await made('full');
    const kept = await db.select({ id: copies.id, sizeBytes: copies.sizeBytes }).from(copies);
    await db.update(copies).set({ sizeBytes: 9e15 / kept.length });
    const full = await app.send('copyOutToFolder', { body: { what: everything, tree: false, folder } });
    expect([full.status, full.body]).toMatchObject([
      507,
      { code: 'DISK_FULL', message: expect.stringMatching(/has .* GB free; the files have .* GB/) },
    ]);
    for (const { id, sizeBytes } of kept) await db.update(copies).set({ sizeBytes }).where(eq(copies.id, id));
  });

  it('goes on where it was: what stands there already is left, and counts no second time', async () => {
    const folder = await made('gone on');
    await copyTo(folder);
    const before = await usesOf('kiln door.wav');
    await rm(path.join(folder, 'clay wheel.wav'));
    expect(await copyTo(folder)).toMatchObject({ done: 4, failed: 0, result: { same: 3 } });
    expect(await readdir(folder)).toHaveLength(4);
    expect(await usesOf('kiln door.wav')).toBe(before);
  });

  it('never replaces another file, says so, and copies the rest', async () => {
    const folder = await made('taken');
    await writeFile(path.join(folder, 'kiln door.wav'), 'somebody’s notes');
    const job = await copyTo(folder);
    expect(job).toMatchObject({ state: 'done', done: 3, failed: 1 });
    expect(job.failures).toMatchObject([{ code: 'NAME_TAKEN', count: 1 }]);
    expect(await readFile(path.join(folder, 'kiln door.wav'), 'utf8')).toBe('somebody’s notes');
    expect(await readdir(folder)).toContain('clay wheel.wav');
  });

  it('writes nowhere but below the roots, not through a link either', async () => {
    const outside = await app.send('copyOutToFolder', { body: { what: everything, tree: false, folder: scratch } });
    expect(outside.status).toBe(403);
    const folder = await made('linked');
    const [{ driveName } = { driveName: '' }] = (await app.call('listCatalogue')).rows;
    await symlink(scratch, path.join(folder, driveName));
    const job = await copyTo(folder, true);
    expect(job).toMatchObject({ done: 0, failed: 4 });
    expect(job.failures.map(({ code }) => code)).toEqual(['PATH_OUTSIDE_ROOTS']);
    expect(await readdir(scratch)).not.toContain('pottery');
  });
});

describe('a copy with its record', () => {
  const [NAME, AUDIO] = ['record and all.wav', 'not writable.au'];
  const fileTitle = async (file: string): Promise<string> => {
    const { stdout } = await run('ffprobe', [
      '-v',
      'quiet',
      '-show_entries',
      'format_tags=title',
      '-of',
      'csv=p=0',
      file,
    ]);
    return stdout.trim();
  };
  /** The samples as SoX decodes them. */
  const samplesOf = async (file: string) =>
    (await run('sox', ['-D', file, '-t', 's32', '-'], { encoding: 'buffer', maxBuffer: 1e8 })).stdout;
  const folder = () => path.join(app.drive, 'carried');
  let what: CopyOut['what'];
  let before: Buffer;

  beforeAll(async () => {
    await app.put(`late/${NAME}`, { seed: 20, tags: { info: { INAM: 'As it was read' } } });
    await run('sox', [path.join(app.drive, 'late', NAME), path.join(app.drive, 'late', AUDIO), 'vol', '0.5']);
    const { batchId } = await app.intake();
    await app.call('fileBatch', { params: { id: batchId } });
    const { rows } = await app.call('listCatalogue', { query: { q: 'folder:late' } });
    const selection = { kind: 'copies' as const, copyIds: rows.map(({ copyId }) => copyId) };
    what = { kind: 'sounds', selection, cut: 'whole' };
    await app.call('editRecords', { body: { selection, edit: { set: { fxName: 'Described since' } } } });
    before = await fileOf(`late/${NAME}`);
    await mkdir(folder());
  });

  it('is offered with how many files do not say what was described since', async () => {
    const size = await app.call('prepareCopyOut', { body: { what, tree: false } });
    expect(size).toMatchObject({ files: 2, behind: 2 });
  });

  it('says what the record says, holds the same audio, and leaves the file as it is', async () => {
    const body = { what, tree: false, withRecord: true, folder: folder() };
    const job = await app.ended(await app.call('copyOutToFolder', { body }));
    expect(job).toMatchObject({ state: 'done', done: 2, failed: 0 });
    const copy = path.join(folder(), NAME);
    expect(await fileTitle(copy)).toBe('Described since');
    expect(await samplesOf(copy)).toEqual(await samplesOf(path.join(app.drive, 'late', NAME)));
    expect(await fileOf(`late/${NAME}`)).toEqual(before);
    // What cannot carry a record goes out as it is, and is named.
    expect(await readFile(path.join(folder(), AUDIO))).toEqual(await fileOf(`late/${AUDIO}`));
    expect(JSON.stringify(job.failures)).toContain('does not carry its record');
    // Once more: the very same copies stand there already.
    expect((await app.ended(await app.call('copyOutToFolder', { body }))).result).toEqual({ same: 2 });
    const plain = await app.ended(await app.call('copyOutToFolder', { body: { ...body, withRecord: false } }));
    expect(plain).toMatchObject({ failed: 1, failures: [{ code: 'NAME_TAKEN' }] });
  });

  it('is in a ZIP file too', async () => {
    const { ticket } = await app.call('prepareCopyOut', { body: { what, tree: false, withRecord: true } });
    const zip = path.join(scratch, 'carried.zip');
    await writeFile(zip, (await get(`/copy-out/${ticket}`)).body as Buffer);
    await run('unzip', ['-q', zip, '-d', path.join(scratch, 'carried')]);
    expect(await readFile(path.join(scratch, 'carried', NAME))).toEqual(await readFile(path.join(folder(), NAME)));
    expect(await readFile(path.join(scratch, 'carried', 'LEFT OUT.txt'), 'utf8')).toContain(AUDIO);
  });
});

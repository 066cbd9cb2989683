import { execFile } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdir, mkdtemp, readdir, readFile, rm, stat, symlink, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { Delivery, DeliveryItem } from '@flagstone/contract/deliveries';
import { filterSchema } from '@flagstone/contract/selection';
import { PLAIN_PROFILE, SHIPPED_PROFILES, type DeliveryProfile } from '@flagstone/core/delivery/profile';
import { sql } from 'drizzle-orm';
import { UNSAID_TERMS } from '@flagstone/core/licences/terms';
import { bagFaults } from '../bag-reader.ts';
import { TestApplication } from './test-application.ts';

const run = promisify(execFile);
let app: TestApplication;
let scratch = '';
let batchId = 0;
const soundOf = new Map<string, { soundId: number; copyId: number }>();

/** Sounds by ffmpeg: stereo of 96 kHz and 24 bits, 5.1, floats beyond full scale, an MP3. */
const SOURCES: Record<string, string[]> = {
  'kilns/kiln door.wav': [
    '-f',
    'lavfi',
    '-i',
    'aevalsrc=0.5*sin(880*PI*t)|0.5*sin(1320*PI*t):s=96000:d=1',
    '-c:a',
    'pcm_s24le',
  ],
  'kilns/opposite.wav': [
    '-f',
    'lavfi',
    '-i',
    'aevalsrc=0.5*sin(880*PI*t)|-0.5*sin(880*PI*t):s=48000:d=1',
    '-c:a',
    'pcm_s24le',
  ],
  'weir/weir.wav': [
    '-f',
    'lavfi',
    '-i',
    'aevalsrc=0.9*sin(400*PI*t)|0.9*sin(400*PI*t)|0.9*sin(400*PI*t)|0|0.9*sin(400*PI*t)|0.9*sin(400*PI*t):s=48000:d=1:c=5.1',
    '-c:a',
    'pcm_s24le',
  ],
  'weir/loud.wav': ['-f', 'lavfi', '-i', 'aevalsrc=1.5*sin(600*PI*t):s=48000:d=1', '-c:a', 'pcm_f32le'],
  'geese.mp3': ['-f', 'lavfi', '-i', 'sine=500:d=1:sample_rate=44100', '-c:a', 'libmp3lame'],
};

beforeAll(async () => {
  app = await TestApplication.open();
  scratch = await mkdtemp(path.join(os.tmpdir(), 'flagstone-deliver-'));
  for (const [name, args] of Object.entries(SOURCES)) {
    const file = path.join(app.drive, 'sounds', name);
    await mkdir(path.dirname(file), { recursive: true });
    await run('ffmpeg', ['-v', 'error', ...args, file]);
  }
  await app.put('sounds/plain.wav', { seed: 4 });
  ({ batchId } = await app.intake('sounds'));
  await app.call('fileBatch', { params: { id: batchId } });
  await app.measured();
  for (const row of (await app.call('listCatalogue')).rows) soundOf.set(row.name, row);
  await edit(
    Object.keys(SOURCES)
      .map((name) => path.basename(name))
      .concat('plain.wav'),
    {
      category: 'KILNS',
      subCategory: 'DOOR',
      licence: 'CC-BY-4.0',
      creator: 'Ada Finch',
    },
  );
}, 90_000);
afterAll(async () => {
  await app.close();
  await rm(scratch, { recursive: true, force: true });
});

const everything = {
  kind: 'sounds' as const,
  selection: { kind: 'catalogue' as const, filter: filterSchema.parse({}) },
  cut: 'whole' as const,
};
const edit = (names: readonly string[], set: object) =>
  app.call('editRecords', {
    body: { selection: { kind: 'copies', copyIds: names.map((name) => soundOf.get(name)?.copyId) }, edit: { set } },
  });

let made = 0;
const folderOf = async (name = `to ${(made += 1)}`): Promise<string> => {
  const folder = path.join(app.drive, 'out', name);
  await mkdir(folder, { recursive: true });
  return folder;
};
const only = (...names: string[]) => ({
  kind: 'sounds' as const,
  selection: { kind: 'copies' as const, copyIds: names.map((name) => soundOf.get(name)?.copyId ?? 0) },
  cut: 'whole' as const,
});
const make = async (profile: DeliveryProfile, more: object = {}): Promise<Delivery> =>
  app.call('makeDelivery', { body: { name: 'Scene 4', folder: await folderOf(), profile, what: everything, ...more } });
const itemsOf = async ({ id }: Delivery, show = 'all'): Promise<DeliveryItem[]> =>
  (await app.call('listDeliveryItems', { params: { id }, query: { show } })).items;
const deliver = async ({ id }: Delivery, onlyPath?: string) =>
  app.ended(await app.call('runDelivery', { params: { id }, body: onlyPath === undefined ? {} : { onlyPath } }));
const again = ({ id }: Delivery) => app.call('layDelivery', { params: { id } });
const filesIn = async (folder: string): Promise<string[]> =>
  (await readdir(folder, { recursive: true, withFileTypes: true }))
    .filter((entry) => entry.isFile())
    .map((entry) => path.relative(folder, path.join(entry.parentPath, entry.name)))
    .sort();

interface Stream {
  codec_name: string;
  sample_rate: string;
  channels: number;
  bits_per_sample: number;
  bits_per_raw_sample?: string;
}
async function probe(file: string): Promise<Stream & { duration: number }> {
  const { stdout } = await run('ffprobe', ['-v', 'error', '-show_streams', '-show_format', '-of', 'json', file]);
  const said = JSON.parse(stdout) as { streams: Stream[]; format: { duration: string } };
  return { ...(said.streams[0] as Stream), duration: Number(said.format.duration) };
}
/** Peak and mean level by ffmpeg's decoder, full scale 1. */
async function levels(file: string): Promise<{ peak: number; rms: number }> {
  const { stdout } = await run('ffmpeg', ['-v', 'error', '-i', file, '-f', 'f32le', '-'], {
    encoding: 'buffer',
    maxBuffer: 2 ** 26,
  });
  const samples = new Float32Array(new Uint8Array(stdout).buffer);
  const energy = samples.reduce((sum, value) => sum + value * value, 0);
  return {
    peak: samples.reduce((most, value) => Math.max(most, Math.abs(value)), 0),
    rms: Math.sqrt(energy / samples.length),
  };
}

describe('the tree of a delivery', () => {
  it('says of each sound what it becomes and where it goes, and makes no file', async () => {
    const delivery = await make(SHIPPED_PROFILES.game);
    expect(delivery.counts).toMatchObject({ files: 6, new: 6, done: 0, folders: 1 });
    expect(delivery.freeBytes).toBeGreaterThan(0);
    const items = await itemsOf(delivery);
    expect(items.map((item) => item.path)).toEqual([
      'kilns/geese.wav',
      'kilns/kiln_door.wav',
      'kilns/loud.wav',
      'kilns/opposite.wav',
      'kilns/plain.wav',
      'kilns/weir.wav',
    ]);
    expect(items[1]).toMatchObject({ made: '48 kHz 16-bit WAV, mono', state: 'planned', bytes: 96_000 });
    expect(await filesIn(delivery.folder)).toEqual([]);
  });

  it('is somebody’s own: others do not see it, administrators do', async () => {
    const delivery = await make(PLAIN_PROFILE);
    expect((await app.send('getDelivery', { params: { id: delivery.id }, person: 2 })).status).toBe(404);
    expect((await app.send('runDelivery', { params: { id: delivery.id }, body: {}, person: 2 })).status).toBe(404);
    expect((await app.call('listDeliveries', { person: 2 })).map(({ id }) => id)).not.toContain(delivery.id);
    await app.context.db.execute(sql`update deliveries set person_id = 2 where id = ${delivery.id}`);
    expect((await app.call('listDeliveries', { person: 2 })).map(({ id }) => id)).toContain(delivery.id);
    expect(await app.call('getDelivery', { params: { id: delivery.id } })).toMatchObject({ id: delivery.id });
  });

  it('is refused below no root, and for what cannot be read', async () => {
    const outside = await app.send('makeDelivery', {
      body: { name: 'x', folder: scratch, profile: PLAIN_PROFILE, what: everything },
    });
    expect([outside.status, outside.body]).toMatchObject([403, { code: 'PATH_OUTSIDE_ROOTS' }]);
    const wrong = { ...PLAIN_PROFILE, names: { kind: 'template' as const, template: '{nothing}' } };
    const refused = await app.send('makeDelivery', {
      body: { name: 'x', folder: await folderOf(), profile: wrong, what: everything },
    });
    expect(refused.body).toMatchObject({ code: 'PATTERN_INVALID' });
    expect((await app.call('listDeliveries')).some(({ name }) => name === 'x')).toBe(false);
  });
});

describe('the files of a delivery', () => {
  it('are the very same where they have the form that is wanted, and carry their records', async () => {
    const delivery = await make({ ...PLAIN_PROFILE, withRecord: false }, { what: only('kiln door.wav', 'geese.mp3') });
    expect(await deliver(delivery)).toMatchObject({ state: 'done', done: 2, failed: 0 });
    for (const name of ['kilns/kiln door.wav', 'geese.mp3'])
      expect(await readFile(path.join(delivery.folder, path.basename(name)))).toEqual(
        await readFile(path.join(app.drive, 'sounds', name)),
      );
    const carrying = await make(PLAIN_PROFILE, { what: only('kiln door.wav') });
    await deliver(carrying);
    const { stdout } = await run('exiftool', ['-j', path.join(carrying.folder, 'kiln door.wav')]);
    expect(stdout).toContain('CC-BY-4.0');
  });

  it('are 48 kHz mono WAV for a game, by other programs’ word', async () => {
    const delivery = await make(SHIPPED_PROFILES.game);
    expect(await deliver(delivery)).toMatchObject({ state: 'done', done: 6, failed: 0 });
    for (const item of await itemsOf(delivery)) {
      const file = path.join(delivery.folder, item.path);
      expect(await probe(file)).toMatchObject({ codec_name: 'pcm_s16le', sample_rate: '48000', channels: 1 });
      expect(item.digest).toBe(
        createHash('sha256')
          .update(await readFile(file))
          .digest('hex'),
      );
      expect(item.bytes).toBe((await stat(file)).size);
    }
    // Two tones of one half, summed by halves.
    expect((await levels(path.join(delivery.folder, 'kilns/kiln_door.wav'))).rms).toBeCloseTo(0.25, 2);
    // What would rise above full scale is lowered and said; what is opposite in both channels is said.
    const problems = Object.fromEntries(
      (await itemsOf(delivery)).map((item) => [item.path, item.problems.map(({ code }) => code)]),
    );
    expect(problems).toMatchObject({
      'kilns/loud.wav': ['LEVEL_LOWERED'],
      'kilns/weir.wav': ['LEVEL_LOWERED'],
      'kilns/opposite.wav': ['PHASE_LOST'],
      'kilns/kiln_door.wav': [],
    });
    expect((await levels(path.join(delivery.folder, 'kilns/loud.wav'))).peak).toBeCloseTo(1, 3);
    const sheet = await readFile(path.join(delivery.folder, 'attribution.txt'), 'utf8');
    expect(sheet).toContain('Licence: CC-BY-4.0');
    expect(sheet).toMatch(/by Ada Finch.*\[kilns\/kiln_door\.wav\]/);
    const table = await readFile(path.join(delivery.folder, 'records.csv'), 'utf8');
    expect(table.split('\r\n')).toHaveLength(8);
  });

  it('fold 5.1 by BS.775: the left of a pair is L, 0.7071 of C and of Ls', async () => {
    const delivery = await make(
      { ...PLAIN_PROFILE, audio: { ...PLAIN_PROFILE.audio, channels: 'stereo', depth: '32 float' } },
      { what: only('weir.wav') },
    );
    await deliver(delivery);
    expect((await levels(path.join(delivery.folder, 'weir.wav'))).peak).toBeCloseTo(0.9 * (1 + Math.SQRT1_2 * 2), 2);
    const split = await make(
      { ...PLAIN_PROFILE, audio: { ...PLAIN_PROFILE.audio, channels: 'split' } },
      { what: only('weir.wav') },
    );
    await deliver(split);
    expect(await filesIn(split.folder)).toEqual([
      'weir.C.wav',
      'weir.L.wav',
      'weir.LFE.wav',
      'weir.Ls.wav',
      'weir.R.wav',
      'weir.Rs.wav',
    ]);
    expect((await levels(path.join(split.folder, 'weir.LFE.wav'))).peak).toBe(0);
    // One channel of a file is the very samples of it.
    await run('ffmpeg', [
      '-v',
      'error',
      '-i',
      path.join(app.drive, 'sounds/weir/weir.wav'),
      '-af',
      'pan=mono|c0=c4',
      '-c:a',
      'pcm_s24le',
      path.join(scratch, 'ls.wav'),
    ]);
    const pcm = async (file: string): Promise<string> =>
      (await run('ffmpeg', ['-v', 'error', '-i', file, '-f', 'md5', '-'])).stdout;
    expect(await pcm(path.join(split.folder, 'weir.Ls.wav'))).toBe(await pcm(path.join(scratch, 'ls.wav')));
  });

  it.each([
    ['FLAC', 'flac', '.flac'],
    ['AIFF', 'pcm_s24be', '.aif'],
    ['MP3', 'mp3', '.mp3'],
    ['Ogg', 'vorbis', '.ogg'],
  ] as const)('are %s where that is wanted, with the record in them', async (container, codec, extension) => {
    const audio = { ...PLAIN_PROFILE.audio, container };
    const delivery = await make({ ...PLAIN_PROFILE, audio }, { what: only('kiln door.wav') });
    expect(await deliver(delivery)).toMatchObject({ done: 1, failed: 0 });
    const file = path.join(delivery.folder, `kiln door${extension}`);
    const said = await probe(file);
    expect(said).toMatchObject({
      codec_name: codec,
      channels: 2,
      sample_rate: container === 'MP3' ? '48000' : '96000',
    });
    expect(said.duration).toBeCloseTo(1, 1);
    const { stdout } = await run('exiftool', ['-a', '-G1', '-s', file]);
    expect(stdout).toContain('KILNS');
  });

  it('come to the loudness that is wanted, by ffmpeg’s meter', async () => {
    const level = { kind: 'loudness' as const, lufs: -23, ceilingDbtp: -1 };
    const delivery = await make(
      { ...PLAIN_PROFILE, audio: { ...PLAIN_PROFILE.audio, level, depth: '24' } },
      { what: only('kiln door.wav') },
    );
    await deliver(delivery);
    const { stderr } = await run('ffmpeg', [
      '-nostats',
      '-i',
      path.join(delivery.folder, 'kiln door.wav'),
      '-filter_complex',
      'ebur128',
      '-f',
      'null',
      '-',
    ]);
    expect(Number([...stderr.matchAll(/I:\s+(-?[\d.]+) LUFS\s+Threshold/g)].at(-1)?.[1])).toBeCloseTo(-23, 0);
  });

  it('are parts and what was tried out, as a pull list has them', async () => {
    const [list] = await app.call('makePullList', { body: { name: 'Reel 2' } });
    const id = list?.id ?? 0;
    const soundId = soundOf.get('kiln door.wav')?.soundId ?? 0;
    await app.call('addPullEntry', { params: { id }, body: { soundId, part: { from: 9600, to: 48_000 } } });
    await app.call('addPullEntry', {
      params: { id },
      body: { soundId, tryOut: [{ kind: 'speed', on: true, percent: 50 }] },
    });
    const audio = { ...PLAIN_PROFILE.audio, sampleRateHz: 48_000, depth: '16' as const };
    // The same part once more: a file of its own each time.
    await app.call('addPullEntry', { params: { id }, body: { soundId, part: { from: 9600, to: 48_000 } } });
    const delivery = await make({ ...PLAIN_PROFILE, audio }, { what: { kind: 'list', listId: id } });
    expect(await deliver(delivery)).toMatchObject({ done: 3, failed: 0 });
    expect((await again(delivery)).counts).toMatchObject({ files: 3, done: 3 });
    expect(await filesIn(delivery.folder)).toEqual([
      'kiln door part 01.wav',
      'kiln door part.wav',
      'kiln door tried out.wav',
    ]);
    expect((await probe(path.join(delivery.folder, 'kiln door part.wav'))).duration).toBeCloseTo(0.4, 3);
    expect((await probe(path.join(delivery.folder, 'kiln door tried out.wav'))).duration).toBeCloseTo(2, 2);
    const uses = await app.call('listUses', { params: { id: soundId } });
    expect(uses.some((use) => use.delivery === 'Scene 4')).toBe(true);
  });
});

describe('the same delivery again', () => {
  it('makes only what differs, keeps paths, and says what is new, changed and left', async () => {
    const selection = { kind: 'catalogue' as const, filter: filterSchema.parse({ q: 'category:kilns' }) };
    const delivery = await make(PLAIN_PROFILE, { what: { ...everything, selection } });
    await deliver(delivery);
    expect((await again(delivery)).counts).toMatchObject({ files: 6, done: 6, new: 0, changed: 0, left: 0 });
    expect(await deliver(delivery)).toMatchObject({ total: 0, done: 0 });

    const { copyId = 0 } = soundOf.get('plain.wav') ?? {};
    await edit(['plain.wav'], { description: 'A new word' });
    await edit(['geese.mp3'], { category: 'BIRDS' });
    // However often it is looked at before it is made.
    await again(delivery);
    const laid = await again(delivery);
    expect(laid.counts).toMatchObject({ files: 5, done: 4, new: 0, changed: 1, left: 1 });
    expect((await itemsOf(delivery, 'left')).map((item) => item.path)).toEqual(['geese.mp3']);
    expect((await itemsOf(delivery, 'toMake')).map((item) => [item.path, item.isChanged, item.copyId])).toEqual([
      ['plain.wav', true, copyId],
    ]);
    expect(await deliver(delivery)).toMatchObject({ total: 1, done: 1, failed: 0 });
    expect(await readFile(path.join(delivery.folder, 'plain.wav'), 'latin1')).toContain('A new word');
    // What is no part of it any more stays where it is.
    expect(await filesIn(delivery.folder)).toContain('geese.mp3');
  });

  it('replaces nothing that somebody else put there or changed, and makes again what is missing', async () => {
    const folder = await folderOf();
    await writeFile(path.join(folder, 'weir.wav'), 'somebody’s notes');
    const delivery = await make(PLAIN_PROFILE, { folder, what: only('weir.wav', 'kiln door.wav', 'plain.wav') });
    const job = await deliver(delivery);
    expect(job).toMatchObject({ state: 'done', done: 2, failed: 1 });
    expect(job.failures).toMatchObject([{ code: 'NAME_TAKEN', count: 1 }]);
    expect(await readFile(path.join(folder, 'weir.wav'), 'utf8')).toBe('somebody’s notes');
    await rm(path.join(folder, 'plain.wav'));
    await writeFile(path.join(folder, 'kiln door.wav'), 'changed there');
    await edit(['kiln door.wav'], { notes: `changed ${(made += 1)}` });
    await again(delivery);
    expect(await deliver(delivery)).toMatchObject({ done: 1, failed: 2 });
    expect(await filesIn(folder)).toContain('plain.wav');
    expect(await readFile(path.join(folder, 'kiln door.wav'), 'utf8')).toBe('changed there');
    expect((await itemsOf(delivery, 'problems')).flatMap(({ problems }) => problems.map(({ code }) => code))).toEqual([
      'FAILED_NAME_TAKEN',
      'FAILED_NAME_TAKEN',
    ]);
  });

  it('is one at a time, tries one first, and leaves nothing half made', async () => {
    const delivery = await make(SHIPPED_PROFILES.game);
    expect(await deliver(delivery, 'kilns/plain.wav')).toMatchObject({ total: 1, done: 1 });
    expect(await filesIn(delivery.folder)).toEqual(['kilns/plain.wav']);
    expect((await app.call('getDelivery', { params: { id: delivery.id } })).deliveredAt).toBeNull();
    const first = await app.call('runDelivery', { params: { id: delivery.id }, body: {} });
    const second = await app.send('runDelivery', { params: { id: delivery.id }, body: {} });
    const laying = await app.send('layDelivery', { params: { id: delivery.id } });
    await app.ended(first);
    // Where the first had not ended.
    for (const { status } of [second, laying]) expect([200, 409]).toContain(status);
    if (second.status === 200) await app.ended(second.body as never);
    expect((await filesIn(delivery.folder)).filter((name) => name.includes('.flagstone'))).toEqual([]);
  });

  it('writes nowhere but into its folder, not through a link either', async () => {
    const folder = await folderOf();
    await symlink(scratch, path.join(folder, 'KILNS'));
    const before = await readdir(scratch);
    const delivery = await make(
      { ...PLAIN_PROFILE, folders: { kind: 'template', template: '{category}' } },
      { folder, what: only('kiln door.wav') },
    );
    expect(await deliver(delivery)).toMatchObject({ done: 0, failed: 1 });
    expect(await readdir(scratch)).toEqual(before);
  });
});

describe('licences', () => {
  it('stop what they do not allow, until somebody decides otherwise, and are told where nobody read them', async () => {
    await edit(['kiln door.wav'], { licence: 'CC BY-NC 4.0' });
    await edit(['weir.wav'], { licence: 'Weir house licence' });
    await edit(['geese.mp3'], { licence: '' });
    const names = ['kiln door.wav', 'weir.wav', 'geese.mp3', 'plain.wav'];
    const delivery = await make(PLAIN_PROFILE, { what: only(...names), use: 'game' });
    expect(delivery.counts).toMatchObject({ files: 4, blocked: 1, new: 3 });
    expect(delivery.licences).toEqual([
      {
        licence: 'CC BY-NC 4.0',
        files: 1,
        verdict: 'forbidden',
        reasons: ['it allows no commercial use'],
        decision: null,
      },
      { licence: '', files: 1, verdict: 'unread', reasons: ['no licence is known of it'], decision: null },
      {
        licence: 'Weir house licence',
        files: 1,
        verdict: 'unread',
        reasons: ['nobody has said what it allows'],
        decision: null,
      },
    ]);
    expect(await deliver(delivery)).toMatchObject({ total: 3, done: 3, failed: 0 });
    expect(await filesIn(delivery.folder)).not.toContain('kiln door.wav');

    // Somebody reads the house's licence: it allows no games.
    const [listed] = (
      await app.call('saveAuthority', { body: { kind: 'licence', name: 'Weir house licence', code: '' } })
    ).filter(({ name }) => name === 'Weir house licence');
    const terms = {
      ...UNSAID_TERMS,
      commercial: 'yes',
      adapted: 'yes',
      games: 'no',
      credit: '{fxName} of the weir, by {creator}',
    };
    await app.call('saveLicenceTerms', { params: { id: listed?.id }, body: { terms } });
    expect((await again(delivery)).counts).toMatchObject({ blocked: 2 });
    const decided = await app.call('decideLicence', {
      params: { id: delivery.id },
      body: { licence: 'CC BY-NC 4.0', reason: 'Its author agreed by letter' },
    });
    expect(decided.counts).toMatchObject({ blocked: 1, new: 1 });
    expect(decided.licences[0]).toMatchObject({
      licence: 'CC BY-NC 4.0',
      decision: { reason: 'Its author agreed by letter' },
    });
    expect(await deliver(delivery)).toMatchObject({ done: 1, failed: 0 });
    // Taken back, it holds again.
    expect(
      (await app.call('decideLicence', { params: { id: delivery.id }, body: { licence: 'CC BY-NC 4.0', reason: '' } }))
        .counts,
    ).toMatchObject({ blocked: 2 });
    // Its credit is in the form that it asks for.
    const sheet = await make({ ...PLAIN_PROFILE, sidecars: ['attribution'] }, { what: only('weir.wav') });
    await deliver(sheet);
    expect(await readFile(path.join(sheet.folder, 'attribution.txt'), 'utf8')).toContain(
      'of the weir, by Ada Finch  [weir.wav]',
    );
    // What changed since the tree was laid is seen when the file is made.
    const later = await make(PLAIN_PROFILE, { what: only('plain.wav'), use: 'game' });
    await edit(['plain.wav'], { licence: 'CC-BY-ND-4.0' });
    const job = await deliver(later);
    expect(job).toMatchObject({ done: 0, failed: 1 });
    expect(job.failures).toMatchObject([{ code: 'LICENCE_FORBIDS' }]);
  });

  it('are decided by their address where they have no name, and no other with them', async () => {
    const licenceUrl = 'https://creativecommons.org/licenses/by-nc/4.0/';
    await edit(['geese.mp3'], { licence: '', licenceUrl });
    const delivery = await make(PLAIN_PROFILE, { what: only('geese.mp3', 'kiln door.wav'), use: 'game' });
    expect(delivery.counts).toMatchObject({ blocked: 2 });
    expect(delivery.licences.map(({ licence }) => licence)).toContain(licenceUrl);
    const body = { licence: licenceUrl, reason: 'Its author agreed by letter' };
    const decided = await app.call('decideLicence', { params: { id: delivery.id }, body });
    expect(decided.counts).toMatchObject({ blocked: 1, new: 1 });
  });

  it('are told before they end, and their terms are taken back like any change', async () => {
    const [listed] = (await app.call('listAuthorities')).filter(({ name }) => name === 'Weir house licence');
    const terms = { ...UNSAID_TERMS, until: new Date(Date.now() + 864e5 * 20).toISOString().slice(0, 10) };
    await app.call('saveLicenceTerms', { params: { id: listed?.id }, body: { terms } });
    expect(await app.call('listEndingLicences')).toEqual([
      { name: 'Weir house licence', until: terms.until, sounds: 1 },
    ]);
    expect(await app.call('getLicence', { query: { name: 'weir house licence' } })).toMatchObject({ terms });
    expect(await app.call('getLicence', { query: { name: 'other' } })).toEqual({ name: 'other', terms: null });
    await app.call('undoLast', { body: {} });
    expect(await app.call('listEndingLicences')).toEqual([]);
  });
});

describe('a bag', () => {
  it('is valid by a reader of its own, also after it was delivered again, and with what is none of it it is not and says so', async () => {
    const delivery = await make(SHIPPED_PROFILES.archive, { name: '100% kiln' });
    expect(await deliver(delivery)).toMatchObject({ state: 'done', failed: 0 });
    const bag = path.join(delivery.folder, '100% kiln');
    expect(await bagFaults(bag)).toEqual([]);
    expect(await readdir(bag)).toEqual(
      expect.arrayContaining(['bagit.txt', 'bag-info.txt', 'manifest-sha512.txt', 'tagmanifest-sha512.txt', 'data']),
    );
    await edit(['plain.wav'], { notes: `changed ${(made += 1)}` });
    await again(delivery);
    expect(await deliver(delivery)).toMatchObject({ done: 1, failed: 0 });
    expect(await bagFaults(bag)).toEqual([]);
    await writeFile(path.join(bag, 'data/notes.txt'), 'somebody’s');
    expect(await deliver(delivery)).toMatchObject({ failed: 1 });
    expect(await bagFaults(bag)).toContain('manifest-sha512.txt does not list data/notes.txt');
  });
});

describe('a ZIP file', () => {
  it('holds all of it, is whole by unzip, and is made anew beside the one before', async () => {
    const delivery = await make({ ...SHIPPED_PROFILES.game, packing: 'zip' });
    expect(await deliver(delivery)).toMatchObject({ state: 'done', done: 6, failed: 0 });
    expect(await filesIn(delivery.folder)).toEqual(['scene_4.zip']);
    const { stdout } = await run('unzip', ['-t', path.join(delivery.folder, 'scene_4.zip')]);
    expect(stdout).toContain('No errors detected');
    expect(stdout).toContain('attribution.txt');
    await again(delivery);
    await deliver(delivery);
    expect(await filesIn(delivery.folder)).toEqual(['scene_4.zip', 'scene_4_01.zip']);
    // One that is stopped leaves nothing, and is not taken for delivered.
    await again(delivery);
    const stopped = await app.call('runDelivery', { params: { id: delivery.id }, body: {} });
    await app.call('cancelJob', { params: { id: stopped.id } });
    const { state } = await app.ended(stopped);
    const { counts } = await app.call('getDelivery', { params: { id: delivery.id } });
    expect([state, counts.done, (await filesIn(delivery.folder)).length]).toEqual(
      state === 'cancelled' ? ['cancelled', 0, 2] : ['done', 6, 3],
    );
  });
});

describe('profiles', () => {
  it('ship three, are kept for everybody, and belong to whoever kept them', async () => {
    const shipped = await app.call('listDeliveryProfiles');
    expect(shipped.map(({ name }) => name)).toEqual(['Broadcast', 'Game', 'Post-production archive']);
    const body = { name: 'Trailer', profile: SHIPPED_PROFILES.game };
    const kept = await app.call('saveDeliveryProfile', { body });
    expect(kept.at(-1)).toMatchObject({ name: 'Trailer', profile: SHIPPED_PROFILES.game });
    expect((await app.send('saveDeliveryProfile', { body: { ...body, name: 'game' } })).status).toBe(409);
    expect(await app.call('removeDeliveryProfile', { params: { id: kept.at(-1)?.id } })).toHaveLength(3);
  });
});

import { spawn } from 'node:child_process';
import { chmod, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterEach, beforeEach, describe, expect, it, jest } from '@jest/globals';
import { aiffBytes } from '@flagstone/demo/container-files';
import { wavBytes, type WavTags } from '@flagstone/demo/wav-file';
import { programPath } from '@flagstone/server/workers/programs';

jest.setTimeout(120_000);

const PROJECT = fileURLToPath(new URL('../../', import.meta.url));
let folder = '';
beforeEach(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone command '));
});
afterEach(() => rm(folder, { recursive: true, force: true }));

/** Runs a command as the launcher does, from another folder; gives status, JSON lines and errors. */
function flagstone(
  args: string[],
  input = '',
): Promise<{ status: number | null; lines: Record<string, unknown>[]; errors: string }> {
  const child = spawn(process.execPath, [programPath('main'), ...args], {
    cwd: PROJECT,
    env: { ...process.env, NODE_OPTIONS: '', FLAGSTONE_CWD: folder },
  });
  let [out, errors] = ['', ''];
  child.stdout.on('data', (text: Buffer) => (out += text.toString()));
  child.stderr.on('data', (text: Buffer) => (errors += text.toString()));
  child.stdin.end(input);
  return new Promise((resolve, reject) => {
    child.once('error', reject);
    child.once('close', (status) =>
      resolve({
        status,
        errors,
        lines: out
          .split('\n')
          .filter(Boolean)
          .map((line) => JSON.parse(line) as Record<string, unknown>),
      }),
    );
  });
}

const put = (name: string, tags: WavTags = {}): Promise<void> =>
  writeFile(
    path.join(folder, name),
    wavBytes([Float32Array.from({ length: 480 }, (_, index) => Math.sin(index / 9))], { rate: 48000, bits: 16 }, tags),
  );

describe('flagstone read', () => {
  it('prints one JSON object a file, with places when asked for, and goes on after a file that cannot be read', async () => {
    await put('one.wav', { info: { INAM: 'One' } });
    await writeFile(path.join(folder, 'text.wav'), 'words');
    const { status, lines, errors } = await flagstone(['read', 'text.wav', 'one.wav', '--raw', '--digest']);
    expect(status).toBe(1);
    expect(lines).toMatchObject([
      {
        path: 'one.wav',
        container: 'WAV',
        codec: 'PCM',
        sampleRateHz: 48000,
        bitDepth: 16,
        channels: 1,
        frames: 480,
        durationSeconds: 0.01,
        record: { fxName: 'One' },
        places: [{ field: 'fxName', place: 'INFO INAM', value: 'One' }],
      },
    ]);
    expect(lines[0]?.['audioDigest']).toMatch(/^[0-9a-f]{64}$/);
    expect(errors).toMatch(/^text\.wav: .*no audio format.*\n$/);
  });
});

describe('flagstone write', () => {
  it('sets fields, keeps the audio, has nothing to do the second time, and only plans on a dry run', async () => {
    await put('pot.wav');
    const before = await readFile(path.join(folder, 'pot.wav'));
    const args = [
      'write',
      'pot.wav',
      '--set',
      'fxName=Pot Falls',
      '--set',
      'catId=cermbrk',
      '--set',
      'keywords=pot, fall',
    ];
    expect((await flagstone([...args, '--dry-run'])).lines).toMatchObject([{ ok: true, how: 'dry run' }]);
    expect((await readFile(path.join(folder, 'pot.wav'))).equals(before)).toBe(true);
    const first = await flagstone(args);
    expect(first).toMatchObject({
      status: 0,
      lines: [
        { path: 'pot.wav', ok: true, how: 'copy', changed: ['catId', 'category', 'subCategory', 'fxName', 'keywords'] },
      ],
    });
    const second = await flagstone(args);
    expect(second.lines).toMatchObject([
      { how: 'nothing to do', changed: [], audioDigest: first.lines[0]?.['audioDigest'] },
    ]);
    const { lines } = await flagstone(['read', 'pot.wav']);
    expect(lines[0]?.['record']).toEqual({
      fxName: 'Pot Falls',
      catId: 'CERMBrk',
      category: 'CERAMICS',
      subCategory: 'BREAK',
      keywords: ['pot', 'fall'],
    });
    expect(await readdir(folder)).toEqual(['pot.wav']);
  });

  it('clears fields, takes a record from JSON, and writes in place when it can', async () => {
    await put('pot.wav', { info: { INAM: 'Old', ICMT: 'text', IPRD: 'Shelf' } });
    await writeFile(path.join(folder, 'record.json'), JSON.stringify({ fxName: 'From JSON', keywords: ['a', 'b'] }));
    const [first] = (await flagstone(['write', 'pot.wav', '--from', 'record.json', '--clear', 'description'])).lines;
    expect(first).toMatchObject({ ok: true, how: 'copy', changed: ['fxName', 'description', 'keywords'] });
    const [line] = (await flagstone(['read', 'pot.wav'])).lines;
    expect(line?.['record']).toEqual({ fxName: 'From JSON', keywords: ['a', 'b'], library: 'Shelf' });
    await writeFile(path.join(folder, 'line.json'), JSON.stringify({ ...line, record: { fxName: 'From a line' } }));
    const [second] = (await flagstone(['write', 'pot.wav', '--from', 'line.json', '--set', 'notes=n'])).lines;
    expect(second).toMatchObject({
      how: 'in place',
      changed: ['fxName', 'notes'],
      audioDigest: first?.['audioDigest'],
    });
    await writeFile(path.join(folder, 'record.json'), '{"colour":"red"}');
    expect(await flagstone(['write', 'pot.wav', '--from', 'record.json'])).toMatchObject({
      status: 1,
      errors: /colour/,
    });
  });

  it('leaves the file as it was, and nothing beside it, when the disk takes no more', async () => {
    const file = path.join(folder, 'long.aiff');
    await writeFile(file, aiffBytes([new Float32Array(30_000)], { rate: 48000, bits: 16 }));
    const before = await readFile(file);
    // A limit on the length of files stands in for a full disk: 120 blocks of 512 bytes, a little more than the file has.
    const limited = spawn(
      'sh',
      [
        '-c',
        'trap \'\' XFSZ; ulimit -f 120; exec "$0" server/dist/main.js write "$1" --set "$2"',
        process.execPath,
        file,
        `notes=${'long '.repeat(400)}`,
      ],
      {
        cwd: PROJECT,
        env: { ...process.env, NODE_OPTIONS: '', TSX_DISABLE_CACHE: '1' },
        stdio: ['ignore', 'pipe', 'pipe'],
      },
    );
    let errors = '';
    limited.stderr.on('data', (text: Buffer) => (errors += text.toString()));
    const status = await new Promise((resolve) => limited.once('close', resolve));
    expect([status, errors]).toEqual([1, expect.stringContaining('too large')]);
    expect((await readFile(file)).equals(before)).toBe(true);
    expect(await readdir(folder)).toEqual(['long.aiff']);
  });

  it.each([
    ['a field that is none', ['--set', 'colour=red'], 2, /there is no field “colour”/],
    ['an assignment that is none', ['--set', 'fxName'], 2, /--set needs field=value/],
    ['nothing to set', [], 2, /at least one --set/],
    ['an unknown CatID', ['--set', 'catId=NOPE'], 1, /not in the category list/],
  ])('refuses %s', async (_, more, status, message) => {
    await put('a.wav');
    const answer = await flagstone(['write', 'a.wav', ...more]);
    expect(answer.status).toBe(status);
    expect(answer.errors).toMatch(message);
  });

  it('leaves a read-only file as it is and says what to do', async () => {
    await put('locked.wav');
    await chmod(path.join(folder, 'locked.wav'), 0o444);
    const { status, lines, errors } = await flagstone(['write', 'locked.wav', '--set', 'fxName=X']);
    expect([status, lines]).toMatchObject([1, [{ ok: false, error: { code: 'FILE_READ_ONLY' } }]]);
    expect(errors).toMatch(/permission to write/);
  });
});

describe('measure', () => {
  it('prints a JSON object a sound in the order of the files, null for what there is not, and goes on after a bad one', async () => {
    const signal = Float32Array.from(
      { length: 96_000 },
      (_, index) => 0.1 * Math.sin((2 * Math.PI * 1000 * index) / 48_000),
    );
    await writeFile(path.join(folder, 'tone.wav'), wavBytes([signal, signal], { rate: 48_000, bits: 24 }));
    await writeFile(path.join(folder, 'silence.aiff'), aiffBytes([new Float32Array(4800)], { rate: 48_000, bits: 16 }));
    await writeFile(path.join(folder, 'words.wav'), 'no audio');
    const { status, lines, errors } = await flagstone(['measure', '-'], 'tone.wav\nwords.wav\nsilence.aiff\n');
    expect(status).toBe(1);
    expect(lines.map((line) => line['path'])).toEqual(['tone.wav', 'silence.aiff']);
    // A sine of 0.1 in both channels has -20 LUFS.
    expect(lines[0]).toMatchObject({
      channels: 2,
      sampleRateHz: 48_000,
      channelLayout: 'dual mono',
      durationSeconds: 2,
    });
    expect(lines[0]?.['integratedLufs']).toBeCloseTo(-20, 1);
    expect(lines[0]?.['samplePeakDbfs']).toBeCloseTo(-20, 2);
    expect(lines[0]?.['audioDigest']).toMatch(/^[0-9a-f]{64}$/);
    expect(lines[1]).toMatchObject({ integratedLufs: null, truePeakDbtp: null, tempoBpm: null, onsetsSeconds: [] });
    expect(errors).toContain('words.wav: ');
    expect((await flagstone(['measure'])).status).toBe(2);
    expect((await flagstone(['measure', '--threads', 'some', 'tone.wav'])).status).toBe(2);
  });
});

describe('flagstone suggest', () => {
  it('reads paths on standard input and prints suggestions with reasons, best first', async () => {
    const { status, lines } = await flagstone(['suggest'], 'geese/goose honk.wav\n\nqwzx.wav\n');
    expect(status).toBe(0);
    expect(lines).toHaveLength(2);
    const [first] = lines[0]?.['suggestions'] as { catId: string; score: number; because: string[] }[];
    expect(first?.catId).toBe('BIRDFowl');
    expect(first?.because.length).toBeGreaterThan(0);
    expect(lines[1]).toEqual({ path: 'qwzx.wav', suggestions: [] });
  });
});

describe('flagstone name', () => {
  const tags = {
    ixml: { 'ASWG/catId': 'CERMBrk', 'ASWG/fxName': 'Pot', 'ASWG/creatorId': 'ORV', 'ASWG/sourceId': 'CLAY' },
  };

  it('plans names, and with --apply renames without ever overwriting', async () => {
    await put('a.wav', tags);
    await put('b.wav', tags);
    await writeFile(path.join(folder, 'cermbrk_pot_orv_clay.WAV'), 'kept');
    const planned = await flagstone(['name', 'a.wav', 'b.wav']);
    expect(planned.lines.map((line) => line['name'])).toEqual([
      'CERMBrk_Pot_ORV_CLAY 01.wav',
      'CERMBrk_Pot_ORV_CLAY 02.wav',
    ]);
    expect((await readdir(folder)).sort()).toEqual(['a.wav', 'b.wav', 'cermbrk_pot_orv_clay.WAV']);
    const freely = await flagstone(['name', 'a.wav', '--pattern', '{fxName:upper}[ - {project}]']);
    expect(freely.lines.map((line) => line['name'])).toEqual(['POT.wav']);
    const wrong = await flagstone(['name', 'a.wav', '--pattern', '{fxName} {pitch}']);
    expect([wrong.status, wrong.errors]).toEqual([2, expect.stringContaining('no field “pitch” (character 10)')]);
    expect((await flagstone(['name', 'a.wav', 'b.wav', '--apply'])).status).toBe(0);
    expect((await readdir(folder)).sort()).toEqual([
      'CERMBrk_Pot_ORV_CLAY 01.wav',
      'CERMBrk_Pot_ORV_CLAY 02.wav',
      'cermbrk_pot_orv_clay.WAV',
    ]);
    expect(await readFile(path.join(folder, 'cermbrk_pot_orv_clay.WAV'), 'utf8')).toBe('kept');
  });

  it('does not rename a file whose blocks are missing', async () => {
    await put('bare.wav');
    const { status, errors } = await flagstone(['name', 'bare.wav', '--apply']);
    expect([status, await readdir(folder)]).toEqual([1, ['bare.wav']]);
    expect(errors).toMatch(/CatID is missing/);
  });
});

describe('wrong usage', () => {
  it.each([
    [['fly'], /there is no command “fly”/],
    [['read'], /at least one FILE/],
    [['read', '--colour'], /colour/],
    [['suggest', 'x'], /no arguments/],
    [['start', '--port', 'many'], /--port needs a number/],
    [['bench', 'nothing'], /there is no benchmark/],
  ])('of %j ends with 2 and says why', async (args, message) => {
    const { status, errors } = await flagstone(args);
    expect(status).toBe(2);
    expect(errors).toMatch(message);
  });
});

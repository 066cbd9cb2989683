import { readdir, readFile } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, it } from '@jest/globals';
import { api } from '@flagstone/contract/api';
import { measuresSchema } from '@flagstone/contract/measures';
import { sortKeySchema } from '@flagstone/contract/selection';
import { FEATURE_COUNT } from '@flagstone/core/audio/measure/feature-vector';
import { ERROR_REMEDIES, type ErrorCode } from '@flagstone/core/errors';
import { FIELD_PLACES } from '@flagstone/core/formats/field-places';
import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { statusOf } from '@flagstone/server/routes/error-answer';

/** Lists that have to say the same: codes and their use, fields and their places, the contract and the documents. */
const PROJECT = fileURLToPath(new URL('../../', import.meta.url));
let sources = '';
const read = (file: string): Promise<string> => readFile(path.join(PROJECT, file), 'utf8');

beforeAll(async () => {
  for (const folder of ['core/src', 'server/src']) {
    const names = (await readdir(path.join(PROJECT, folder), { recursive: true })).filter(
      (name) => name.endsWith('.ts') && !name.endsWith('.test.ts') && name !== 'errors.ts',
    );
    for (const name of names) sources += await read(path.join(folder, name));
  }
});

describe('error codes', () => {
  it('are all used somewhere, and each has a remedy and a status', () => {
    const unused = Object.keys(ERROR_REMEDIES).filter((code) => !sources.includes(`'${code}'`));
    expect(unused).toEqual([]);
    for (const [code, remedy] of Object.entries(ERROR_REMEDIES)) {
      expect(remedy).toMatch(/[.]$/);
      expect(statusOf(code as ErrorCode)).toBeGreaterThanOrEqual(400);
    }
  });
});

describe('documents', () => {
  it('name the places of every field in their order of trust', async () => {
    const text = (await read('docs/formats.md')).replace(/ +/g, ' ');
    for (const [field, places] of Object.entries(FIELD_PLACES))
      expect(text).toContain(`| ${field} | ${places.map((place) => `\`${place}\``).join(', ')} |`);
  });

  it('tell every option of start and every command', async () => {
    const readme = await read('README.md');
    for (const option of [
      '--root',
      '--data',
      '--port',
      '--empty',
      '--clear',
      '--from',
      '--dry-run',
      '--copy',
      '--keep-time',
      '--id3',
      '--features',
      '--threads',
      '--database',
    ])
      expect(readme).toContain(option);
    for (const command of ['start', 'test', 'read', 'write', 'measure', 'suggest', 'name', 'index', 'worker', 'bench'])
      expect(readme).toContain(`./flagstone ${command}`);
  });
});

describe('the analysis', () => {
  it('is defined in docs/analysis.md, measure by measure', async () => {
    const text = await read('docs/analysis.md');
    const names = Object.keys(measuresSchema.shape).filter(
      (name) => !/^(durationSeconds|channelLayout|spectrum|onsets|tempoBpm|key|form|weight|activity)$/.test(name),
    );
    for (const name of names) expect(text).toContain(`\`${name}\``);
    for (const name of Object.keys(measuresSchema.shape.spectrum.unwrap().shape)) expect(text).toContain(`\`${name}\``);
    expect(text).toContain(`holds ${FEATURE_COUNT} numbers`);
  });
});

describe('the contract', () => {
  it('has no address twice, and every field has a place in every container that is written', () => {
    const addresses = Object.values(api).map((endpoint) => `${endpoint.method} ${endpoint.path}`);
    expect(new Set(addresses).size).toBe(addresses.length);
    expect(Object.keys(FIELD_PLACES).sort()).toEqual([...FIELD_NAMES].sort());
    for (const places of Object.values(FIELD_PLACES))
      for (const system of ['iXML|INFO|bext|cue', 'ID3', 'Vorbis'])
        expect(places.some((place) => new RegExp(`^(${system}) `).test(place))).toBe(true);
  });

  it('offers each order as a column of the table or in the list of orders', async () => {
    const columns = await read('web/src/table/columns.ts');
    const orders = await read('web/src/places/catalogue-place.vue');
    for (const key of sortKeySchema.options) expect(columns + orders).toMatch(new RegExp(`(sort|key): '${key}'`));
  });
});

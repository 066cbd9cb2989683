import { readdir, readFile } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, it } from '@jest/globals';
import { api } from '@flagstone/contract/api';
import { sortKeySchema } from '@flagstone/contract/selection';
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
  it('name every place where a field is written', async () => {
    const text = await read('docs/formats.md');
    const places = Object.values(FIELD_PLACES).flat();
    for (const place of places) {
      const [kind = '', rest = ''] = place.split(' ');
      const last = rest.split('/').pop() ?? '';
      if (kind === 'INFO') expect(text).toContain(last);
    }
    for (const field of FIELD_NAMES) expect(text).toContain(field);
  });

  it('tell every option of start and every command', async () => {
    const readme = await read('README.md');
    for (const option of ['--root', '--data', '--port', '--empty']) expect(readme).toContain(option);
    for (const command of ['start', 'test', 'read', 'write', 'suggest', 'name', 'index', 'bench'])
      expect(readme).toContain(`./flagstone ${command}`);
  });
});

describe('the contract', () => {
  it('has no address twice, and every field has a place in a WAV file', () => {
    const addresses = Object.values(api).map((endpoint) => `${endpoint.method} ${endpoint.path}`);
    expect(new Set(addresses).size).toBe(addresses.length);
    expect(Object.keys(FIELD_PLACES).sort()).toEqual([...FIELD_NAMES].sort());
  });

  it('offers each column that can be sorted in the table', async () => {
    const columns = await read('web/src/components/sound-table/columns.ts');
    for (const key of sortKeySchema.options.filter((option) => option !== 'added'))
      expect(columns).toContain(`'${key}'`);
  });
});

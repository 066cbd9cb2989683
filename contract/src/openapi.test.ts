import { describe, expect, it } from '@jest/globals';
import { Validator } from '@seriousme/openapi-schema-validator';
import { api, rawApi } from './api.ts';
import { openApi } from './openapi.ts';

const document = openApi('1.2.3') as {
  openapi: string;
  paths: Record<string, Record<string, { operationId: string; parameters: { name: string; in: string }[] }>>;
};
const operations = Object.entries(document.paths).flatMap(([path, of]) =>
  Object.entries(of).map(([method, operation]) => ({ path, method, ...operation })),
);

describe('the OpenAPI document', () => {
  it('is valid by the schema of OpenAPI 3.1', async () => {
    const result = await new Validator().validate(structuredClone(document));
    expect(result).toEqual({ valid: true });
    expect(document.openapi).toBe('3.1.0');
  });

  it('tells every address once, with each of its parameters', () => {
    const all = { ...api, ...rawApi };
    expect(operations.map(({ operationId }) => operationId).sort()).toEqual(Object.keys(all).sort());
    for (const { path, operationId, parameters, method } of operations) {
      const inPath = parameters.filter((each) => each.in === 'path').map(({ name }) => `{${name}}`);
      expect([operationId, path.match(/\{\w+\}/g) ?? []]).toEqual([operationId, inPath]);
      expect(all[operationId as keyof typeof all].method.toLowerCase()).toBe(method);
    }
  });

  it('says of a list what it can be asked for and what it answers', () => {
    const list = document.paths['/catalogue']?.['get'];
    expect(list?.parameters.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['q', 'collection', 'sort', 'limit']),
    );
    expect(JSON.stringify(list)).toContain('"soundId"');
  });
});

import { expect, it } from '@jest/globals';
import { emptyRecord } from '@flagstone/core/record/fields';
import { recordEditSchema, recordSchema } from './record.ts';

it('tells of a record whatever its file says, and lets nobody type as much', () => {
  const keywords = Array.from({ length: 700 }, (_, at) => `word ${at}`);
  const said = { ...emptyRecord(), keywords, description: 'x'.repeat(30_000), slices: 'x'.repeat(500_000) };
  expect(recordSchema.parse(said)).toEqual(said);
  for (const set of [{ keywords }, { description: said.description }, { slices: said.slices }])
    expect(recordEditSchema.safeParse({ set }).success).toBe(false);
  expect(recordEditSchema.safeParse({ addKeywords: keywords }).success).toBe(false);
});

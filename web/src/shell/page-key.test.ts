import { expect, it } from '@jest/globals';
import { pageKey } from './page-key.ts';

const page = (path: string, meta: object, params: Record<string, string>) =>
  pageKey({ matched: [{ path }], meta, params } as unknown as Parameters<typeof pageKey>[0]);

it('tells one batch from another, and one step of a batch from none', () => {
  const batch = { isPageOf: 'id' };
  expect(page('/intake/:id', batch, { id: '1' })).not.toBe(page('/intake/:id', batch, { id: '2' }));
  expect(page('/intake/:id', batch, { id: '1' })).toBe(page('/intake/:id', batch, { id: '1' }));
});

it('keeps a page that follows its address by itself', () => {
  expect(page('/sound/:id', {}, { id: '1' })).toBe(page('/sound/:id', {}, { id: '2' }));
});

import { existsSync, readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, it } from '@jest/globals';

const PROJECT = fileURLToPath(new URL('../..', import.meta.url));
/** Where a path in a document may begin. */
const BASES = ['', 'server/src', 'web/src', 'core/src', 'contract/src', 'demo/src', 'docs'];
const ENDING = /\.(ts|vue|sql|md|mjs|png)$/;

const SKIPPED = new Set(['node_modules', 'dist', 'coverage']);

function filesBelow(folder: string): string[] {
  return readdirSync(path.join(PROJECT, folder), { withFileTypes: true }).flatMap((entry) => {
    const inside = path.join(folder, entry.name);
    if (entry.isFile()) return [inside];
    return entry.isDirectory() && !entry.name.startsWith('.') && !SKIPPED.has(entry.name) ? filesBelow(inside) : [];
  });
}
const tracked = filesBelow('.');
const documents = tracked.filter((file) => file.endsWith('.md'));
const names = new Set(tracked.map((file) => path.basename(file)));
const folders = new Set(tracked.map((file) => path.dirname(file)));

/** Whether a path, or a name alone, is that of something in the repository. `core/formats/x.ts` stands for `core/src/formats/x.ts`. */
function isThere(given: string): boolean {
  const named = given.replace(/^(core|contract|web|server|demo)\/(?!src\/|package)/, '$1/src/');
  if (!named.includes('/')) return names.has(named);
  return BASES.some(
    (base) => existsSync(path.join(PROJECT, base, named)) || existsSync(path.join(PROJECT, base, given)),
  );
}

describe('the documents', () => {
  it('are in reach', () => {
    expect(documents).toEqual(expect.arrayContaining(['README.md', 'CONTRIBUTING.md', 'docs/architecture.md']));
  });

  it.each(documents)('%s links to what is there', (document) => {
    const text = readFileSync(path.join(PROJECT, document), 'utf8');
    const links = [...text.matchAll(/\]\((?!https?:)([^)#\s]+)/g)].map(([, link = '']) => link);
    const broken = links.filter((link) => !existsSync(path.join(PROJECT, path.dirname(document), link)));
    expect(broken).toEqual([]);
  });

  it.each(documents)('%s names files and folders that are there', (document) => {
    const text = readFileSync(path.join(PROJECT, document), 'utf8');
    const codes = [...text.matchAll(/`([\w@./-]+)`/g)].map(([, code = '']) => code);
    const files = codes.filter((code) => ENDING.test(code) && !code.startsWith('.'));
    const inside = codes.filter((code) => /^[\w-]+(\/[\w-]+)+\/?$/.test(code) && folders.has(code.split('/')[0] ?? ''));
    expect([...files, ...inside].filter((code) => !isThere(code))).toEqual([]);
  });
});

import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { folderAfter } from './folder-pattern.ts';

describe('a folder by a template', () => {
  it('is laid of fields, and leaves out what is empty', () => {
    const record = { category: 'WATER', subCategory: 'LOCK', library: 'Mill Race' };
    expect(folderAfter('{category}/{subCategory}', record)).toBe('WATER/LOCK');
    expect(folderAfter('{library}/{category:title}/{project}/{subCategory:title}', record)).toBe(
      'Mill Race/Water/Lock',
    );
    expect(folderAfter('By place[ {location}]/{category}', record)).toBe('By place/WATER');
  });

  it('is refused where the template cannot be read', () => {
    expect(() => folderAfter('{kategory}', {})).toThrow('There is no field “kategory” (character 1)');
  });

  it('never leads elsewhere, nor is longer than file systems allow, whatever the fields say', () => {
    expect(folderAfter('{category}/{subCategory}', { category: '..', subCategory: '../../etc' })).toBe('.. .. etc');
    expect(folderAfter('{category}', { category: 'CON' })).toBe('CON folder');
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 400 }), fc.string(), (category, subCategory) => {
        const parts = folderAfter('{category}/{subCategory}', { category, subCategory }).split('/');
        expect(parts.length).toBeLessThanOrEqual(2);
        for (const part of parts) {
          expect(['.', '..']).not.toContain(part);
          expect(part).not.toMatch(/[\\:*?"<>|\0]/);
          expect(Buffer.byteLength(part)).toBeLessThanOrEqual(255);
        }
      }),
    );
  });
});

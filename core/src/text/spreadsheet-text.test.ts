import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { escapeFormula, unescapeFormula } from './spreadsheet-text.ts';

it('makes no formula of a text, and gives it back the same', () => {
  for (const text of ['=1+1', '+cmd', '-2', '@sum', "'=x", "''=x", '\t=x']) {
    expect(escapeFormula(text)).toMatch(/^'/);
    expect(unescapeFormula(escapeFormula(text))).toBe(text);
  }
  expect(escapeFormula("it's a kiln")).toBe("it's a kiln");
  const any = fc.string({ unit: fc.constantFrom(..."'=+-@ab1") });
  fc.assert(fc.property(any, (text) => expect(unescapeFormula(escapeFormula(text))).toBe(text)));
});

import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { COMMON_ACRONYMS, LETTER_CASES, toLetterCase } from './letter-case.ts';

describe('changing the case of a text', () => {
  it.each([
    ['title', 'KILN DOOR SLAMS IN THE YARD', 'Kiln Door Slams in the Yard'],
    ['title', 'the wheel of clay', 'The Wheel of Clay'],
    ['sentence', 'Lock Gate Opens Slowly', 'Lock gate opens slowly'],
    ['upper', 'Weir near mühle', 'WEIR NEAR MÜHLE'],
    ['lower', 'Weir Near Mühle', 'weir near mühle'],
    ['title', 'goose’s neck, o’clock', 'Goose’s Neck, O’clock'],
    ['asIs', 'as It STANDS', 'as It STANDS'],
  ] as const)('%s: %s', (letterCase, before, after) => {
    expect(toLetterCase(before, letterCase)).toBe(after);
  });

  it.each([
    ['title', 'MOTOR 5000 RPM UP, MK2 USB FAN', 'Motor 5000 RPM Up, MK2 USB Fan'],
    ['title', 'motor at 5000 rpm', 'Motor at 5000 RPM'],
    ['lower', 'Hum 50 hz Of A TV', 'hum 50 Hz of a TV'],
    ['title', 'tell us where I am', 'Tell Us Where I Am'],
    ['sentence', 'Recorded With An SM9x By McKee', 'Recorded with an SM9x by McKee'],
  ] as const)('%s keeps acronyms, units and model numbers whole: %s', (letterCase, before, after) => {
    expect(toLetterCase(before, letterCase, COMMON_ACRONYMS)).toBe(after);
  });

  it('keeps short capitals for acronyms only where the rest is not in capitals', () => {
    expect(toLetterCase('KY kiln fan', 'title', [], true)).toBe('KY Kiln Fan');
    expect(toLetterCase('KY KILN FAN', 'title', [], true)).toBe('Ky Kiln Fan');
    expect(toLetterCase('KILN fan', 'title')).toBe('Kiln Fan');
  });

  it('changes nothing but the case', () => {
    const text = fc.string({ unit: fc.constantFrom(..."abz AB9é,-'") });
    fc.assert(
      fc.property(text, fc.constantFrom(...LETTER_CASES), (before, to) => {
        expect(toLetterCase(before, to, COMMON_ACRONYMS).toLowerCase()).toBe(before.toLowerCase());
      }),
      { numRuns: 2000 },
    );
  });
});

import { describe, expect, it } from '@jest/globals';
import { mentionsIn } from './mentions.ts';

const NAMES = ['Orla', 'Orla Venn', 'Tobias Reed', 'Zoë', '水車'];
const named = (text: string): string[] => mentionsIn(text, NAMES).map(({ name }) => name);

describe('the names that a text mentions', () => {
  it.each([
    ['@Orla Venn, is this the lower gate?', ['Orla Venn']],
    ['@orla venn and @TOBIAS REED', ['Orla Venn', 'Tobias Reed']],
    // The longest one that fits, and the shorter one where the longer does not.
    ['@Orla Vennings', ['Orla']],
    ['for @Orla', ['Orla']],
    ['(@Zoë) “@水車”', ['Zoë', '水車']],
    ['@Orlando and @Zoëy', []],
    // Neither an address of mail nor a name without the sign.
    ['write to mill@Orla or Tobias Reed', []],
    ['𝒜@Orla', []],
    ['@ Orla, @@Orla', ['Orla']],
    ['@nobody', []],
    ['', []],
  ])('of “%s” are %j', (text, names) => expect(named(text)).toEqual(names));

  it('are told with their places, which count the sign in', () => {
    const text = 'So @Zoë: @Tobias Reed';
    const found = mentionsIn(text, NAMES).map(({ at, length }) => text.slice(at, at + length));
    expect(found).toEqual(['@Zoë', '@Tobias Reed']);
  });

  it('are bounded, whatever the text', () => {
    expect(mentionsIn('@Orla '.repeat(700), NAMES)).toHaveLength(50);
    expect(mentionsIn('@'.repeat(4000), NAMES)).toEqual([]);
  });
});

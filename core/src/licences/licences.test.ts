import { describe, expect, it } from '@jest/globals';
import { PUBLIC_LICENCES, publicLicence } from './public-licences.ts';
import { restrictionsOf, UNSAID_TERMS, verdictOf, type LicenceTerms, type Use } from './terms.ts';

const wanted = (use: Use, more: object = {}) => ({ use, isCommercial: true, show: '', today: '2026-11-30', ...more });
const terms = (more: Partial<LicenceTerms>): LicenceTerms => ({
  ...UNSAID_TERMS,
  commercial: 'yes',
  adapted: 'yes',
  broadcast: 'yes',
  games: 'yes',
  redistribution: 'yes',
  ...more,
});

describe('public licences', () => {
  it.each([
    ['CC-BY-4.0', '', 'CC-BY-4.0'],
    ['cc by 4.0', '', 'CC-BY-4.0'],
    ['Creative Commons BY-NC-SA 3.0', '', 'CC-BY-NC-SA-3.0'],
    ['CC0 1.0', '', 'CC0-1.0'],
    ['Attribution', 'http://creativecommons.org/licenses/by/3.0', 'CC-BY-3.0'],
    ['', 'https://www.creativecommons.org/licenses/by-nd/4.0/legalcode.en', 'CC-BY-ND-4.0'],
    ['https://creativecommons.org/publicdomain/zero/1.0/deed.de', '', 'CC0-1.0'],
  ])('are known by “%s” %s: %s', (name, url, spdx) => {
    expect(publicLicence(name, url)?.terms.spdx).toBe(spdx);
  });

  it('are not guessed', () => {
    for (const name of ['', 'CC', 'CC BY', 'Kiln Shelf house licence', 'CC BY 4.0 and more'])
      expect(publicLicence(name)).toBeUndefined();
  });

  it('have identifiers of the SPDX License List, each once', () => {
    // From memory of version 3.25 of the list.
    const all = PUBLIC_LICENCES.map(({ terms: { spdx } }) => spdx);
    expect(new Set(all).size).toBe(all.length);
    for (const spdx of all) expect(spdx).toMatch(/^CC(0-1\.0|-PDDC|-BY(-NC)?(-SA|-ND)?-[34]\.0)$/);
  });

  it.each<[string, Use, boolean, string]>([
    ['CC0-1.0', 'game', true, 'allowed'],
    ['CC-BY-4.0', 'game', true, 'allowed'],
    ['CC-BY-NC-4.0', 'game', true, 'forbidden'],
    ['CC-BY-NC-4.0', 'theatre', false, 'allowed'],
    // Put under moving images it is adapted, which “no derivatives” forbids.
    ['CC-BY-ND-4.0', 'film', false, 'forbidden'],
    ['CC-BY-ND-4.0', 'library', true, 'allowed'],
    ['CC-BY-SA-4.0', 'film', true, 'open'],
    ['CC-BY-NC-ND-3.0', 'archive', true, 'allowed'],
  ])('%s for %s, commercially %s, is %s', (spdx, use, isCommercial, verdict) => {
    const licence = publicLicence(spdx);
    expect(licence && verdictOf(licence.terms, wanted(use, { isCommercial })).verdict).toBe(verdict);
  });
});

describe('the terms of a licence', () => {
  it('forbid what they forbid, with all reasons', () => {
    const verdict = verdictOf(
      terms({ games: 'no', until: '2026-11-29', onlyShow: 'The Lock Keeper' }),
      wanted('game', { show: 'Weir' }),
    );
    expect(verdict).toEqual({
      verdict: 'forbidden',
      reasons: ['it ended on 2026-11-29', 'it allows no games', 'it is for “The Lock Keeper” only'],
    });
  });

  it('hold on their last day and from their first', () => {
    expect(verdictOf(terms({ until: '2026-11-30' }), wanted('film'))).toEqual({
      verdict: 'open',
      reasons: ['it ends on 2026-11-30'],
    });
    expect(verdictOf(terms({ until: '2027-03-01' }), wanted('film')).verdict).toBe('allowed');
    expect(verdictOf(terms({ from: '2026-12-01' }), wanted('film')).verdict).toBe('forbidden');
  });

  it('are open where nobody has read them, and ask only for what a use needs', () => {
    expect(verdictOf(UNSAID_TERMS, wanted('broadcast')).reasons).toHaveLength(3);
    expect(verdictOf(terms({ games: 'unsaid' }), wanted('film')).verdict).toBe('allowed');
    expect(
      verdictOf(terms({ onlyShow: 'The Lock Keeper' }), wanted('film', { show: ' the lock keeper' })).verdict,
    ).toBe('allowed');
    expect(
      verdictOf(terms({ onlyShow: 'The Lock Keeper', seats: 1, territories: 'Europe' }), wanted('film')).reasons,
    ).toHaveLength(3);
  });
});

describe('what terms say in short', () => {
  it('is nothing where all is allowed, and what they forbid or ask for, whatever the use is', () => {
    expect(restrictionsOf(terms({}), '2026-11-30')).toEqual([]);
    expect(
      restrictionsOf(terms({ commercial: 'no', redistribution: 'no', attribution: true, seats: 1 }), '2026-11-30'),
    ).toEqual(['no commercial use', 'no handing on', 'for one person', 'name its author']);
    expect(restrictionsOf(terms({ until: '2026-11-29', onlyShow: 'The Lock Keeper' }), '2026-11-30')).toEqual([
      'ended on 2026-11-29',
      'only for “The Lock Keeper”',
    ]);
  });
});

import { describe, expect, it } from '@jest/globals';
import { findListed } from './listed-names.ts';

const list = [
  { name: 'Orla Venn', code: 'ORV' },
  { name: 'Tobias Reed', code: 'TBR' },
  { name: 'Tomas Reed', code: 'TMR' },
  { name: 'The Clay and Canal Company', code: 'CLAY' },
  { name: 'Mirela Quist', code: 'MQ' },
];
const found = (said: string, code = ''): string | undefined => findListed(list, said, code)?.code;

describe('a name of a list', () => {
  it.each([
    ['orla venn', 'ORV'],
    ['Venn, Orla', 'ORV'],
    ['O. Venn', 'ORV'],
    ['Venn O.', 'ORV'],
    ['Orla Ven', 'ORV'],
    ['Clay & Canal', 'CLAY'],
    ['Canal and Clay Ltd', 'CLAY'],
    ['Mirella Qvist', 'MQ'],
    ['ORV', 'ORV'],
  ])('is found as %j', (said, code) => expect(found(said)).toBe(code));

  it.each(['T. Reed', 'Orla', 'Venn', 'Quist Mirela Anna', 'Ola'])(
    'is not guessed from %j, which may mean another one, or several',
    (said) => expect(found(said)).toBeUndefined(),
  );

  it('is found by its code where no name is said', () => {
    expect(found('', 'mq')).toBe('MQ');
    expect(found('', 'nobody')).toBeUndefined();
  });
});

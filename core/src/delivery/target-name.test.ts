import { describe, expect, it } from '@jest/globals';
import { randomFrom } from '../../../tests/random.ts';
import { nameKey } from '../naming/name-blocks.ts';
import { isReserved } from '../naming/naming-pattern.ts';
import { targetFolder, targetName, type NameRules } from './target-name.ts';

const ANY: NameRules = { characters: 'any', letterCase: 'asIs', spaces: 'kept', mostBytes: 251 };
const ASCII: NameRules = { characters: 'ascii', letterCase: 'asIs', spaces: 'hyphens', mostBytes: 64 };
const GAME: NameRules = { characters: 'portable', letterCase: 'lower', spaces: 'underscores', mostBytes: 40 };

const free = (): boolean => false;
const named = (base: string, rules: NameRules, suffix = ''): string =>
  targetName(base, { suffix, extension: '.wav' }, rules, free, new Map());

describe('the name of a file where it is delivered', () => {
  it.each<[string, string, string, string]>([
    [
      'WATRFlow_Mill race, slow_OVN_MILL01',
      'WATRFlow_Mill race, slow_OVN_MILL01.wav',
      'WATRFlow_Mill-race,-slow_OVN_MILL01.wav',
      'watrflow_mill_race_slow_ovn_mill01.wav',
    ],
    [
      'Brennofen — Tür, außen',
      'Brennofen — Tür, außen.wav',
      'Brennofen---Tur,-aussen.wav',
      'brennofen_-_tur_aussen.wav',
    ],
    ['窯の扉', '窯の扉.wav', '', ''],
    ['..', 'sound.wav', 'sound.wav', 'sound.wav'],
    ['COM1', 'sound COM1.wav', 'sound-COM1.wav', 'sound_com1.wav'],
    ['a/b\\c:d*e?"f<g>h|i', 'a b c d e f g h i.wav', 'a-b-c-d-e-f-g-h-i.wav', 'a_b_c_d_e_f_g_h_i.wav'],
    ['', 'sound.wav', 'sound.wav', 'sound.wav'],
  ])('of “%s” is %s, %s, %s', (given, any, ascii, game) => {
    expect(named(given, ANY)).toBe(any);
    // Letters of other scripts become some that sound like them: which is the package's to say.
    if (ascii !== '') expect(named(given, ASCII)).toBe(ascii.replace('---', '-'));
    else expect(named(given, ASCII)).toMatch(/^[A-Za-z-]+\.wav$/);
    if (game !== '') expect(named(given, GAME)).toBe(game);
  });

  it('keeps room for its channel, its number and its extension', () => {
    const counters = new Map<string, number>();
    const taken = new Set<string>();
    const next = (): string => {
      const name = targetName(
        'A very long name of a loom that nobody will read',
        { suffix: '.Ls', extension: '.WAV' },
        GAME,
        (key) => taken.has(key),
        counters,
      );
      taken.add(nameKey(name));
      return name;
    };
    expect([next(), next(), next()]).toEqual([
      'a_very_long_name_of_a_loom_that_n.Ls.wav',
      'a_very_long_name_of_a_loom_tha_01.Ls.wav',
      'a_very_long_name_of_a_loom_tha_02.Ls.wav',
    ]);
    for (let number = 3; number < 150; number += 1) expect(next().length).toBeLessThanOrEqual(40);
  });

  it('of a folder never leads up, and is no device', () => {
    expect(targetFolder('../Mill Race/./LPT1/a:b', ANY)).toBe('Mill Race/folder LPT1/a b');
    expect(targetFolder('../Mill Race/./LPT1/a:b', GAME)).toBe('mill_race/folder_lpt1/a_b');
  });

  it.each([
    ['any', ANY],
    ['ASCII', ASCII],
    ['portable', GAME],
  ])('is legal, within its length, and no other’s, for 10,000 hostile names (%s)', (_, rules) => {
    const random = randomFrom(71);
    const taken = new Set<string>();
    const counters = new Map<string, number>();
    for (let index = 0; index < 10_000; index += 1) {
      const given = hostileName(random);
      const name = targetName(
        given,
        { suffix: index % 7 === 0 ? '.R' : '', extension: '.wav' },
        rules,
        (key) => taken.has(key),
        counters,
      );
      const where = JSON.stringify(given);
      const faults = faultsOf(name, rules);
      if (faults.length > 0 || taken.has(nameKey(name)))
        throw new Error(`${where} became “${name}”: ${faults.join(', ')}`);
      taken.add(nameKey(name));
    }
    expect(taken.size).toBe(10_000);
  });
});

/** What a file system, Windows, or the rules would refuse. */
function faultsOf(name: string, rules: NameRules): string[] {
  const faults: [string, boolean][] = [
    // eslint-disable-next-line no-control-regex -- control characters are what is looked for
    ['illegal', /[<>:"/\\|?*\u0000-\u001f\u007f]/.test(name)],
    ['leads up', /^\.+$/.test(name)],
    ['hidden or an option', /^[.-]/.test(name)],
    ['ends badly', /[. ]$/.test(name) || / \.wav$/.test(name)],
    ['a device', isReserved(name)],
    ['too long', Buffer.byteLength(name) > rules.mostBytes],
    ['half a character', !name.isWellFormed()],
    ['not composed', name !== name.normalize('NFC')],
    ['not ASCII', rules.characters !== 'any' && /[^\u0020-\u007e]/.test(name)],
    ['not portable', rules.characters === 'portable' && /[^A-Za-z0-9._-]/.test(name)],
    ['a space', rules.spaces !== 'kept' && name.includes(' ')],
    ['a capital', rules.letterCase === 'lower' && name.replace('.R', '') !== name.replace('.R', '').toLowerCase()],
    ['no extension', !name.endsWith('.wav')],
  ];
  return faults.filter(([, isSo]) => isSo).map(([what]) => what);
}

const PIECES = [
  'CON',
  'nul',
  'lpt¹',
  '.',
  '..',
  ' ',
  '　',
  '\u202e',
  '\0',
  '\n',
  '/',
  '\\',
  ':',
  '*',
  '%00',
  '-rf',
  '~',
  '\ud800',
  '\udfff',
  '😀',
  '👩‍👩‍👧',
  'ﬁ',
  'Å',
  'A\u030a',
  'ß',
  'İ',
  'ı',
  '窯',
  'печь',
  'مصنع',
  'Kiln',
  'lock gate',
  '_',
  '__',
  '.wav',
  '$HOME',
  '`id`',
  '\u200b',
  '\ufeff',
  'a'.repeat(300),
  '\u0301'.repeat(40),
];

function hostileName(random: () => number): string {
  const count = Math.floor(random() * 7);
  return Array.from({ length: count }, () =>
    random() < 0.7
      ? (PIECES[Math.floor(random() * PIECES.length)] ?? '')
      : String.fromCharCode(Math.floor(random() * 0x10000)),
  ).join('');
}

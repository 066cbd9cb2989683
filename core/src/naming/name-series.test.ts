import { describe, expect, it } from '@jest/globals';
import { FolderNames } from './companions.ts';
import { NameSeries } from './name-series.ts';

const WANTED = 'CERMBrk_Pot Shatters_OV_KILN.wav';
const numbered = (number: string): string => `CERMBrk_Pot Shatters_OV_KILN ${number}.wav`;

function named(names: string[], taken: string[] = []): string[] {
  const series = new NameSeries();
  const folder = new FolderNames([...names, ...taken], () => true);
  names.forEach((name, id) => series.meet('yard', WANTED, { id, name }));
  return names.map((_, id) => series.nameFor('yard', WANTED, id, folder));
}

describe('takes for which one name is planned', () => {
  it('are numbered from 01 by the names that they have, figures by their value', () => {
    expect(named(['pot 10.wav', 'pot 2.wav', 'pot 1.wav'])).toEqual([numbered('03'), numbered('02'), numbered('01')]);
  });

  it('have as many digits as the last one needs', () => {
    const names = named(Array.from({ length: 120 }, (_, index) => `take ${index + 1}.wav`));
    expect([names[0], names[119]]).toEqual([numbered('001'), numbered('120')]);
  });

  it('go past numbers that are taken', () => {
    expect(named(['a.wav', 'b.wav', 'c.wav'], [numbered('02')])).toEqual([
      numbered('01'),
      numbered('03'),
      numbered('04'),
    ]);
  });

  it('are none where a file is alone, or bears the name already', () => {
    expect(named(['a.wav'])).toEqual([WANTED]);
    expect(named(['a.wav', WANTED])).toEqual([WANTED, WANTED]);
    expect(named(['late.wav'], [numbered('01'), numbered('02')])).toEqual([numbered('03')]);
    expect(named(['a.wav', numbered('07'), 'b.wav'], [numbered('07')])).toEqual([
      numbered('01'),
      WANTED,
      numbered('02'),
    ]);
  });

  it('belong together in one folder only', () => {
    const series = new NameSeries();
    series.meet('yard', WANTED, { id: 1, name: 'a.wav' });
    series.meet('mill', WANTED, { id: 2, name: 'a.wav' });
    expect(series.nameFor('mill', WANTED, 2, new FolderNames(['a.wav'], () => true))).toBe(WANTED);
  });
});

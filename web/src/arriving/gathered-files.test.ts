import { describe, expect, it } from '@jest/globals';
import { chosenFiles, sortFiles, suggestedName, type GatheredFile } from './gathered-files.ts';

const file = (path: string, bytes = 10): GatheredFile => ({
  path,
  file: new File([new Uint8Array(bytes)], path.split('/').at(-1) ?? ''),
});

describe('files that are handed over', () => {
  it('are told apart before anything is sent', () => {
    const sorted = sortFiles(
      ['Kilns/door.wav', 'Kilns/.DS_Store', 'Kilns/notes.pdf', 'Kilns/gate.ape', 'Pack.zip', '__MACOSX/door.wav'].map(
        (path) => file(path),
      ),
    );
    expect(sorted.sounds.map(({ path }) => path)).toEqual(['Kilns/door.wav']);
    expect(sorted.packs.map(({ path }) => path)).toEqual(['Pack.zip']);
    expect(sorted.bytes).toBe(20);
    expect(Object.fromEntries(sorted.left.map(({ path, why }) => [path, why]))).toEqual({
      'Kilns/.DS_Store': 'Hidden, or of the system',
      'Kilns/notes.pdf': 'No sound',
      'Kilns/gate.ape': 'A sound of a format that is not read here',
      '__MACOSX/door.wav': 'Hidden, or of the system',
    });
  });

  it('keep their paths in the folder that was chosen', () => {
    const inFolder = Object.assign(new File(['x'], 'door.wav'), { webkitRelativePath: 'Kilns/Day 1/door.wav' });
    expect(chosenFiles([inFolder, new File(['x'], 'gate.wav')]).map(({ path }) => path)).toEqual([
      'Kilns/Day 1/door.wav',
      'gate.wav',
    ]);
  });

  it.each([
    [['Kilns/door.wav', 'Kilns/Day 1/vent.wav'], 'Kilns'],
    [['Kiln room.zip'], 'Kiln room'],
    [['Kilns/door.wav', 'Mill/gate.wav'], 'Brought in 1 Dec'],
    [['door.wav'], 'Brought in 1 Dec'],
  ])('are called by what holds all of them: %j', (paths, name) => {
    expect(suggestedName(sortFiles(paths.map((path) => file(path))), '1 Dec')).toBe(name);
  });
});

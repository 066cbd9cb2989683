import { describe, expect, it } from '@jest/globals';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { downloadUrl, draggedFile } from './dragged-file.ts';

const sound = { copyId: 7, soundId: 3, name: 'Lock gate, slow: 50% & wet.wav', part: undefined, steps: undefined };
const steps = [{ kind: 'reverse' }] as unknown as TryOut;

describe('a sound that is dragged out of the window', () => {
  it('is its file as it is, under its own name', () => {
    expect(draggedFile(sound)).toEqual({ path: '/api/copies/7/audio', name: sound.name });
  });

  it('is the marked part of it', () => {
    expect(draggedFile({ ...sound, part: { from: 4800, to: 9600 } })).toEqual({
      path: '/api/copies/7/part?from=4800&to=9600',
      name: 'Lock gate, slow: 50% & wet part.wav',
    });
  });

  it('is what is heard while it is tried out, of the part where one is marked', () => {
    const whole = new URL(draggedFile({ ...sound, steps }).path, 'http://flagstone');
    expect(whole.pathname).toBe('/api/sounds/3/tried-out');
    expect([...whole.searchParams.keys()]).toEqual(['steps']);
    expect(JSON.parse(whole.searchParams.get('steps') ?? '')).toEqual(steps);
    const part = draggedFile({ ...sound, steps, part: { from: 0, to: 480 } });
    expect(Object.fromEntries(new URL(part.path, 'http://flagstone').searchParams)).toMatchObject({
      from: '0',
      to: '480',
    });
    expect(part.name).toBe('Lock gate, slow: 50% & wet tried out.wav');
  });

  it('keeps its name apart from the address by colons, whatever the name holds', () => {
    const [type, name, ...url] = downloadUrl('http://127.0.0.1:4747/api/copies/7/audio', sound.name).split(':');
    expect([type, name, url.join(':')]).toEqual([
      'audio/wav',
      'Lock gate, slow  50% & wet.wav',
      'http://127.0.0.1:4747/api/copies/7/audio',
    ]);
  });
});

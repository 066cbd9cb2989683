import { describe, expect, it } from '@jest/globals';
import { channelMark, endingOf } from './name-ending.ts';

describe('the end of a name', () => {
  it.each([
    ['Lock gate.L.wav', 'L'],
    ['Lock gate_r.wav', 'R'],
    ['Lock gate-lfe.wav', 'LFE'],
    ['Lock gate.rs.aif', 'Rs'],
    ['Lock gate_M.wav', 'M'],
  ])('tells the channel that %s holds', (name, mark) => expect(channelMark(name)).toBe(mark));

  it.each(['Lock gate L.wav', 'Lock gate.wav', 'Lock_gate_CLAY.wav', 'L.wav', 'Lock gate.x.wav'])(
    'tells none of %s',
    (name) => expect(channelMark(name)).toBeUndefined(),
  );

  const ending = { channel: true, mono: '_mono' };
  it('keeps the channel of a split file, and marks other mono files, where that is asked for', () => {
    expect(endingOf(ending, { name: 'gate_r.wav', channels: 1 })).toBe('.R');
    expect(endingOf(ending, { name: 'gate.wav', channels: 1 })).toBe('_mono');
    expect(endingOf({ channel: false, mono: '' }, { name: 'gate_r.wav', channels: 1 })).toBe('');
    expect(endingOf({ channel: false, mono: '/<' }, { name: 'gate.wav', channels: 1 })).not.toMatch(/[/<]/);
  });

  it('says nothing of files with several channels, or where nothing is asked for', () => {
    expect(endingOf(ending, { name: 'gate_r.wav', channels: 2 })).toBe('');
    expect(endingOf(undefined, { name: 'gate_r.wav', channels: 1 })).toBe('');
  });

  it('is the same when a file is named again', () => {
    const once = `CERMBrk_Pot Falls_ORV_CLAY${endingOf(ending, { name: 'pot_r.wav', channels: 1 })}.wav`;
    expect(endingOf(ending, { name: once, channels: 1 })).toBe('.R');
  });
});

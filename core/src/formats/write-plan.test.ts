import { describe, expect, it } from '@jest/globals';
import { keepsAudio, type Segment, type WritePlan } from './write-plan.ts';

const audio = { audioOffset: 100, audioBytes: 50 };
const keep = (offset: number, length: number): Segment => ({ kind: 'keep', offset, length });
const bytes = (length: number): Segment => ({ kind: 'bytes', bytes: new Uint8Array(length) });
const plan = (audioOffset: number, ...segments: Segment[]): WritePlan => ({
  segments,
  audioOffset,
  audioBytes: 50,
  sizeBytes: 1000,
});

describe('a plan', () => {
  it('keeps the audio where one range of the old file is it, wherever that comes to stand', () => {
    expect(keepsAudio(plan(30, bytes(30), keep(100, 50), bytes(9)), audio)).toBe(true);
    expect(keepsAudio(plan(130, bytes(30), keep(0, 160)), audio)).toBe(true);
  });

  it('does not where it would be other bytes, another place, or another length', () => {
    expect(keepsAudio(plan(30, bytes(200)), audio)).toBe(false);
    expect(keepsAudio(plan(30, bytes(30), keep(101, 50)), audio)).toBe(false);
    expect(keepsAudio(plan(31, bytes(30), keep(100, 50), bytes(9)), audio)).toBe(false);
    expect(keepsAudio(plan(30, bytes(30), keep(100, 25), keep(125, 25)), audio)).toBe(false);
    expect(keepsAudio({ ...plan(30, bytes(30), keep(100, 50)), audioBytes: 40 }, audio)).toBe(false);
    expect(keepsAudio(plan(900, bytes(30), keep(100, 50)), audio)).toBe(false);
  });
});

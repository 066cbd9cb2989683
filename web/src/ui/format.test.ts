import { describe, expect, it } from '@jest/globals';
import {
  counted,
  formatBytes,
  formatChannels,
  formatFailed,
  formatFrequency,
  formatKilohertz,
  formatLength,
  formatLevel,
  formatRange,
  formatTimeLeft,
  formatValue,
} from './format.ts';

describe('lengths', () => {
  it.each([
    [0, '0:00.0'],
    [7.34, '0:07.3'],
    [60, '1:00'],
    [185.6, '3:06'],
    [3723, '1:02:03'],
    [NaN, ''],
  ])('of %p seconds read %p', (seconds, text) => {
    expect(formatLength(seconds)).toBe(text);
  });
});

describe('numbers in words', () => {
  it('count one and many', () => {
    expect([counted(1, 'file'), counted(0, 'file'), counted(12345, 'file'), counted(2, 'needs', 'need')]).toEqual([
      '1 file',
      '0 files',
      '12,345 files',
      '2 need',
    ]);
  });

  it('give bytes in powers of ten, rates in kilohertz and channels by their usual names', () => {
    expect([0, 999, 1000, 1_234_567, 6e12].map(formatBytes)).toEqual(['0 B', '999 B', '1.0 kB', '1.2 MB', '6.0 TB']);
    expect([44100, 48000, 192000].map(formatKilohertz)).toEqual(['44.1', '48', '192']);
    expect([1, 2, 4, 6, 8].map((channels) => formatChannels(channels))).toEqual([
      'Mono',
      'Stereo',
      '4 ch',
      '5.1',
      '7.1',
    ]);
  });

  it('say what went wrong in the word that fits the job', () => {
    expect(formatFailed({ kind: 'index', failed: 2 })).toBe('✕ 2 unreadable');
    expect(formatFailed({ kind: 'write', failed: 1 })).toBe('✕ 1 failed');
    expect(formatFailed({ kind: 'write', failed: 0 })).toBe('');
  });

  it('show values of fields, and nothing as empty', () => {
    expect([['a', 'b'], 'x', 4, null, '', [], undefined].map((value) => formatValue(value))).toEqual([
      'a, b',
      'x',
      '4',
      '(empty)',
      '(empty)',
      '(empty)',
      '(empty)',
    ]);
  });
});

describe('formatting what was measured', () => {
  it('writes levels with a true minus, and a dash for none', () => {
    expect([formatLevel(-23.04, 'LUFS'), formatLevel(null, 'dB'), formatLevel(3, 'LU')]).toEqual([
      '−23.0 LUFS',
      '–',
      '3.0 LU',
    ]);
    expect([formatFrequency(440.4), formatFrequency(12_345)]).toEqual(['440 Hz', '12.3 kHz']);
  });

  it('says ranges in words', () => {
    expect([formatRange('2..10', 's'), formatRange('..-30', 'LUFS'), formatRange('60..', 's')]).toEqual([
      '2 to 10 s',
      'below −30 LUFS',
      'from 60 s',
    ]);
  });

  it('tells the layout as it was measured', () => {
    expect([formatChannels(2, 'dual mono'), formatChannels(6), formatChannels(9, '9 channels')]).toEqual([
      'Dual mono',
      '5.1',
      '9 ch',
    ]);
  });

  it('tells the time that a job still takes, once that can be told', () => {
    const job = { done: 90, failed: 10, total: 400, startedAt: '2026-05-01T10:00:00Z' };
    const after = (seconds: number): number => Date.parse(job.startedAt) + seconds * 1000;
    expect(formatTimeLeft(job, after(10))).toBe('about 30 s left');
    expect(formatTimeLeft(job, after(100))).toBe('about 5 min left');
    expect(formatTimeLeft(job, after(4000))).toBe('about 3.3 h left');
    expect(formatTimeLeft(job, after(1))).toBe('');
    expect(formatTimeLeft({ ...job, total: null }, after(10))).toBe('');
    expect(formatTimeLeft({ ...job, done: 390 }, after(10))).toBe('');
  });
});

import { describe, expect, it } from '@jest/globals';
import { legalName } from './given-name.ts';

describe('a name that somebody else gave a file', () => {
  it('is taken with the extension that the file has here', () => {
    expect(legalName('DOORGate_Lock Gate Creak_ORV_TPA02.wav', 'HS 7 lock gate.flac')).toBe(
      'DOORGate_Lock Gate Creak_ORV_TPA02.flac',
    );
    expect(legalName('Mühlglocke  2.wav', 'x.wav')).toBe('Mühlglocke  2.wav');
  });

  it('is not taken where it would lead elsewhere, hide the file, or be refused somewhere', () => {
    const refused = [
      '',
      '.wav',
      '..',
      '.hidden.wav',
      '../out.wav',
      'a/b.wav',
      'c:\\d.wav',
      'nul.wav',
      'gate?.wav',
      'gate\u0007.wav',
      'gate .wav',
      `${'x'.repeat(400)}.wav`,
    ];
    for (const given of refused) expect([given, legalName(given, 'x.wav')]).toEqual([given, undefined]);
  });
});

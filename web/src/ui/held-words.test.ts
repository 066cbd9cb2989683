import { describe, expect, it } from '@jest/globals';
import { formInWords, heldInWords } from './held-words.ts';

describe('the words of recordings that are held in another form', () => {
  it('say how, and whether it is certain', () => {
    expect(heldInWords(null)).toBe('');
    expect(heldInWords({ soundId: 1, quality: 'better', isCertain: true })).toBe('≈ Held already, in better quality');
    expect(heldInWords({ soundId: 1, quality: 'worse', isCertain: false })).toBe('≈ Probably held already, worse');
    expect(formInWords({ quality: 'alike', isCertain: true })).toBe('= as good');
    expect(formInWords({ quality: 'worse', isCertain: false })).toBe('▽ worse, probably the same recording');
  });
});

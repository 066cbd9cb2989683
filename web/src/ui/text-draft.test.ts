import { beforeEach, describe, expect, it } from '@jest/globals';
import { TextDraft } from './text-draft.ts';

describe('a text that is being typed', () => {
  let saved: [string, string | undefined][] = [];
  let draft: TextDraft<string>;
  beforeEach(() => {
    saved = [];
    draft = new TextDraft('weir', 'gate', (value, about) => saved.push([value, about]));
  });

  it('shows what is saved until somebody types', () => {
    draft.take('basin', 'gate');
    expect(draft.text).toBe('basin');
    draft.save();
    expect(saved).toEqual([]);
  });

  it('keeps what is typed when a colleague saves, and tells what they saved', () => {
    draft.type('weir, left ba');
    draft.take('quay', 'gate');
    expect([draft.text, draft.theirs]).toEqual(['weir, left ba', 'quay']);
    draft.type('weir, left bank');
    draft.save();
    expect(saved).toEqual([['weir, left bank', 'gate']]);
  });

  it('takes what the colleague saved when it is cancelled', () => {
    draft.type('w');
    draft.take('quay', 'gate');
    draft.cancel();
    draft.save();
    expect([draft.text, saved]).toEqual(['quay', []]);
  });

  it('is saved of what it was typed for when the field turns to something else', () => {
    draft.type('for the gate');
    draft.take('for the loom already', 'loom');
    expect([draft.text, draft.theirs]).toEqual(['for the loom already', undefined]);
    expect(saved).toEqual([['for the gate', 'gate']]);
  });

  it('is not saved when it says what is saved already', () => {
    draft.type('quay');
    draft.take('quay', 'gate');
    draft.save();
    expect([draft.theirs, saved]).toEqual([undefined, []]);
  });

  describe('that cannot be saved', () => {
    let answer: boolean | Promise<boolean> = false;
    let told = 0;
    beforeEach(() => {
      [answer, told] = [false, 0];
      const save = (value: string, about: string | undefined): unknown => (saved.push([value, about]), answer);
      draft = new TextDraft<string>('weir', 'gate', save, () => (told += 1));
      draft.type('weir, left bank');
      draft.save();
    });
    const settled = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

    it('stays a draft, which is said, and is saved with the next try', async () => {
      await settled();
      // The list that is read anew meanwhile does not wipe it.
      draft.take('weir', 'gate');
      expect([draft.text, draft.hasFailed, told]).toEqual(['weir, left bank', true, 1]);
      answer = true;
      draft.save();
      await settled();
      expect([saved.length, saved[1], draft.hasFailed]).toEqual([2, ['weir, left bank', 'gate'], false]);
    });

    it('is taken back as any draft', async () => {
      await settled();
      draft.cancel();
      expect([draft.text, draft.hasFailed]).toEqual(['weir', false]);
    });

    it('does not come back over what is typed or shown since', async () => {
      draft.cancel();
      let fail: () => void = () => undefined;
      answer = new Promise((resolve) => (fail = () => resolve(false)));
      draft.type('weir, left');
      draft.save();
      draft.type('weir, right');
      fail();
      await settled();
      expect([draft.text, draft.hasFailed]).toEqual(['weir, right', false]);
      answer = false;
      draft.take('loom', 'loom');
      await settled();
      expect([draft.text, draft.hasFailed]).toEqual(['loom', false]);
    });
  });
});

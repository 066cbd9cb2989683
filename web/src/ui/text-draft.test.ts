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
});

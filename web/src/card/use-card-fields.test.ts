import { afterEach, describe, expect, it } from '@jest/globals';
import type { FieldValues, SoundRow } from '@flagstone/contract/record';
import type { Selection } from '@flagstone/contract/selection';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import { effectScope, shallowRef, type EffectScope } from 'vue';
import { FakeServer, HeldBack, settled } from '../ui/fake-server.ts';
import { useCardFields, type CardSounds } from './use-card-fields.ts';

const scopes: EffectScope[] = [];
afterEach(() => scopes.splice(0).forEach((scope) => scope.stop()));

const rowOf = (soundId: number, record: Partial<SoundRecord> = {}): SoundRow =>
  ({ soundId, copyId: soundId * 10, record: { ...emptyRecord(), ...record } }) as SoundRow;
const copies = (...copyIds: number[]): Selection => ({ kind: 'copies', copyIds });
const single = (soundId: number, record: Partial<SoundRecord> = {}): CardSounds => ({
  rows: [rowOf(soundId, record)],
  count: 1,
  selection: copies(soundId * 10),
});
const whole: Selection = { kind: 'batch', batchId: 4 };
/** A thousand sounds are selected, of which two are loaded. */
const many = (...records: Partial<SoundRecord>[]): CardSounds => ({
  rows: records.map((record, at) => rowOf(at + 1, record)),
  count: 1000,
  selection: whole,
});
const counted = (library: string): FieldValues => ({
  sounds: 1000,
  fields: { library: { distinct: 1, filled: 1000, values: [{ value: library, times: 1000 }] } },
});

function opened(begin: CardSounds, countValues: () => unknown = () => counted('Clay')) {
  const server = new FakeServer({ countValues });
  const sounds = shallowRef(begin);
  const edits: [edit: RecordEdit, selection?: Selection][] = [];
  const scope = effectScope();
  scopes.push(scope);
  const card = scope.run(() =>
    useCardFields(
      sounds,
      server,
      (name, value) => (name === 'library' && value === 'Kiln Yard' ? { sourceId: 'KILN' } : {}),
      (...edit) => {
        edits.push(edit[1] === undefined ? [edit[0]] : edit);
        return Promise.resolve(true);
      },
      // As long as the timers of `later`, which therefore fire after it.
      1,
    ),
  )!;
  return { server, sounds, edits, card };
}
const later = async (): Promise<void> => {
  for (let turn = 0; turn < 5; turn += 1) await settled();
};

describe('a card of one sound', () => {
  it('shows its record as it is, and asks nobody', async () => {
    const { card, server } = opened(single(1, { fxName: 'Kiln Door', tempo: 92, keywords: ['iron', 'slow, heavy'] }));
    await later();
    expect([card.textOf('fxName'), card.textOf('tempo'), card.textOf('keywords')]).toEqual(['Kiln Door', '92', '']);
    expect([card.numberOf('tempo'), card.numberOf('weight'), card.numberOf('fxName')]).toEqual([92, null, null]);
    expect(card.listOf('keywords')).toEqual(['iron', 'slow, heavy']);
    expect(card.placeholderOf('fxName')).toBe('');
    expect(server.asked).toEqual([]);
  });

  it('saves what was changed, with the code of a name, and nothing that is as it was', () => {
    const { card, edits } = opened(single(1, { fxName: 'Kiln Door', tempo: 92 }));
    void card.save('fxName', 'Kiln Door');
    void card.save('tempo', 92);
    void card.save('notes', '');
    expect(edits).toEqual([]);
    void card.save('fxName', '');
    void card.save('tempo', null);
    void card.save('library', 'Kiln Yard');
    expect(edits).toEqual([
      [{ set: { fxName: '' } }],
      [{ set: { tempo: null } }],
      [{ set: { library: 'Kiln Yard', sourceId: 'KILN' } }],
    ]);
  });

  it('saves which keywords were added and taken away, never the list', () => {
    const { card, edits } = opened(single(1, { keywords: ['iron', 'slow'] }));
    card.saveKeywords(['iron', 'slow']);
    card.saveKeywords(['slow', 'creak']);
    expect(edits).toEqual([[{ addKeywords: ['creak'], removeKeywords: ['iron'] }]]);
  });
});

describe('a text that was typed', () => {
  it('goes to the sound for which it was typed, also when the card has turned to another', async () => {
    const { card, sounds, edits } = opened(single(1));
    const typedFor = card.about.value;
    sounds.value = single(2);
    await settled();
    void card.saveTyped('fxName', 'Kiln Door', typedFor);
    expect(edits).toEqual([[{ set: { fxName: 'Kiln Door' } }, copies(10)]]);
  });

  it('goes to the sound on the card while the list is read anew', async () => {
    const { card, sounds, edits } = opened(single(1));
    const typedFor = card.about.value;
    sounds.value = single(1, { notes: 'by a colleague' });
    await settled();
    void card.saveTyped('fxName', 'Kiln Door', typedFor);
    expect(edits).toEqual([[{ set: { fxName: 'Kiln Door' } }]]);
  });

  it('goes nowhere when nobody knows for what it was typed', async () => {
    const { card, sounds, edits } = opened(single(1));
    const typedFor = card.about.value;
    sounds.value = single(2);
    await settled();
    sounds.value = single(3);
    await settled();
    void card.saveTyped('fxName', 'Kiln Door', typedFor);
    void card.saveTyped('fxName', 'Kiln Door', undefined);
    expect(edits).toEqual([]);
  });
});

describe('a card of many sounds', () => {
  it('says what they have in common, and of how many values the rest is', async () => {
    const { card } = opened({
      rows: [rowOf(1, { library: 'Clay', notes: 'dry' }), rowOf(2, { library: 'Clay' })],
      count: 2,
      selection: copies(10, 20),
    });
    await later();
    expect([card.textOf('library'), card.placeholderOf('library')]).toEqual(['Clay', '']);
    expect([card.textOf('notes'), card.placeholderOf('notes')]).toEqual(['', 'mixed: 2 values']);
  });

  it('counts those that are not loaded; until then, those that are speak for all', async () => {
    const { card, server } = opened(many({ library: 'Fire' }, { library: 'Clay' }));
    expect(card.placeholderOf('library')).toBe('mixed: 2 values');
    await later();
    expect(card.textOf('library')).toBe('Clay');
    expect(server.asked).toMatchObject([['countValues', { body: { selection: whole } }]]);
  });

  it('does not show what was counted of another selection', async () => {
    const held = new HeldBack(() => counted('Clay'));
    const { card, sounds } = opened(many({ library: 'Fire' }, {}), held.answer);
    await later();
    expect(held.count).toBe(1);
    sounds.value = { ...many({ library: 'Wool' }, {}), selection: { kind: 'batch', batchId: 5 } };
    await later();
    expect(held.count).toBe(2);
    held.release(0);
    await later();
    expect(card.placeholderOf('library')).toBe('mixed: 2 values');
    held.release(0);
    await later();
    expect(card.textOf('library')).toBe('Clay');
  });

  it('does not empty a mixed field that was only visited, and sets all to what is typed', () => {
    const { card, edits } = opened(many({ library: 'Fire' }, {}));
    void card.save('library', '');
    void card.save('weight', null);
    expect(edits).toEqual([]);
    void card.save('library', 'Fire');
    expect(edits).toEqual([[{ set: { library: 'Fire' } }]]);
  });

  it('adds keywords to all, and takes none away', () => {
    const { card, edits } = opened(many({ keywords: ['iron'] }, { keywords: ['iron'] }));
    card.saveKeywords(['creak']);
    expect(edits).toEqual([[{ addKeywords: ['creak'] }]]);
  });
});

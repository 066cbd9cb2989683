import { describe, expect, it } from '@jest/globals';
import { ref } from 'vue';
import { useRowSlots } from './use-row-slots.ts';

describe('slots of the rows in view', () => {
  const rows = (from: number, to: number) => Array.from({ length: to - from }, (_, at) => ({ index: from + at }));

  it('stay where they are in the document while the list moves, and follow the rows once it rests', () => {
    const shown = ref(rows(0, 4));
    const moving = ref(false);
    const slots = useRowSlots(shown, () => moving.value);
    const seen = () => slots.value.map(({ slot, index }) => `${slot}:${index}`);
    expect(seen()).toEqual(['0:0', '1:1', '2:2', '3:3']);
    moving.value = true;
    shown.value = rows(2, 6);
    expect(seen()).toEqual(['0:4', '1:5', '2:2', '3:3']);
    shown.value = rows(4, 8);
    expect(seen()).toEqual(['0:4', '1:5', '2:6', '3:7']);
    shown.value = rows(3, 7);
    moving.value = false;
    expect(seen()).toEqual(['3:3', '0:4', '1:5', '2:6']);
  });

  it('are an even number, so that stripes do not change places', () => {
    const shown = ref(rows(0, 3));
    const slots = useRowSlots(shown, () => true);
    expect(slots.value.map(({ slot }) => slot)).toEqual([0, 1, 2]);
    for (let from = 1; from < 20; from += 1) {
      shown.value = rows(from, from + 3);
      expect(slots.value.every(({ slot, index }) => slot % 2 === index % 2)).toBe(true);
    }
  });
});

import { describe, expect, it } from '@jest/globals';
import type { SoundPage, SoundRow } from '@flagstone/contract/record';
import { ref } from 'vue';
import { useTotal } from './use-total.ts';

const page = (total: number | null, isApproximate = false, next: string | null = 'mark'): SoundPage => ({
  rows: Array<SoundRow>(50),
  next,
  total,
  isApproximate,
  snapshot: '',
});

/** What the foot of a list shows. */
const shown = ({ total, isAbout, isCounting }: ReturnType<typeof useTotal>): string =>
  isCounting.value ? `at least ${total.value}` : `${isAbout.value ? 'about ' : ''}${total.value}`;

describe('how many sounds a list finds', () => {
  it('is what the first page says', () => {
    const list = useTotal(ref({ q: 'kiln' }));
    expect(shown(list)).toBe('at least 0');
    list.takeCount(page(12_000, true));
    expect(shown(list)).toBe('about 12000');
    list.takeCount(page(null));
    expect(shown(list)).toBe('about 12000');
  });

  it('is not known until somebody has counted, where the page does not say it', () => {
    const list = useTotal(ref({ q: 'kiln' }));
    list.takeCount(page(null));
    expect(shown(list)).toBe('at least 51');
    list.takeTotal({ count: 46_656, isApproximate: true });
    expect(shown(list)).toBe('about 46656');
  });

  it('stays for another order, and is counted anew for another filter', () => {
    const filter = ref({ q: 'kiln' });
    const list = useTotal(filter);
    list.takeTotal({ count: 900, isApproximate: false });
    filter.value = { q: 'kiln' };
    list.takeCount(page(null));
    expect(shown(list)).toBe('900');
    filter.value = { q: 'kiln door' };
    list.takeCount(page(null, false, null));
    expect(shown(list)).toBe('at least 50');
    list.takeTotal({ count: 50, isApproximate: false });
    expect(shown(list)).toBe('50');
  });

  it('is not taken from a sample once it is known', () => {
    const filter = ref({ q: '"kiln lid"' });
    const list = useTotal(filter);
    list.takeTotal({ count: 64, isApproximate: true });
    list.takeCount(page(5, false, null));
    list.takeTotal({ count: 64, isApproximate: true });
    expect(shown(list)).toBe('5');
    filter.value = { q: 'kiln' };
    list.takeTotal({ count: 12_800, isApproximate: true });
    expect(shown(list)).toBe('about 12800');
  });

  it('may be counted before the page is there', () => {
    const filter = ref({ q: '' });
    const list = useTotal(filter);
    list.takeTotal({ count: 1_000_000, isApproximate: false });
    filter.value = { q: 'door' };
    list.takeTotal({ count: 46_656, isApproximate: true });
    list.takeCount(page(null));
    expect(shown(list)).toBe('about 46656');
  });
});

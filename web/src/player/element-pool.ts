import type { SoundRow } from '@flagstone/contract/record';
import { audioAddress } from '../api/client.ts';

/** Larger files are only begun beforehand: a browser has six lines to a server. */
const MOST_AHEAD_BYTES = 24_000_000;
/** One that is heard, and the next and previous one. */
const ELEMENTS = 3;
/** Containers that no browser plays, and what has samples that none reads: the server sends them as WAV. */
const SENT_AS_WAV = ['AIFF', 'AIFF-C', 'CAF', 'RIFX', 'W64', 'AU'];

/** Where a browser gets a sound that it can play. */
export function playableAddress({ copyId, facts }: SoundRow, asWav = false): string {
  const needs = SENT_AS_WAV.includes(facts.container) || (facts.codec === 'IEEE float' && facts.bitDepth === 64);
  return `${audioAddress(copyId)}${asWav || needs ? '?as=wav' : ''}`;
}

interface Held {
  element: HTMLAudioElement;
  copyId: number;
  used: number;
}

/** Media elements that hold the sound that is heard and those that will probably be heard next, so that these begin at once. */
export class ElementPool {
  private readonly held: Held[];
  private clock = 0;
  private active: Held | undefined;

  constructor(prepare: (element: HTMLAudioElement) => void) {
    this.held = Array.from({ length: ELEMENTS }, () => {
      const element = new Audio();
      prepare(element);
      return { element, copyId: 0, used: 0 };
    });
  }

  /** The element with a sound, which begins to load unless it was fetched ahead. */
  take(row: SoundRow): HTMLAudioElement {
    const held = this.held.find(({ copyId }) => copyId === row.copyId) ?? this.load(row, 'auto');
    held.element.preload = 'auto';
    this.clock += 1;
    held.used = this.clock;
    this.active = held;
    return held.element;
  }

  /** Loads the sound of the active element anew, as WAV. */
  reloadAsWav(row: SoundRow): HTMLAudioElement | undefined {
    if (this.active?.copyId !== row.copyId) return undefined;
    this.active.element.src = playableAddress(row, true);
    return this.active.element;
  }

  /** Begins to load sounds that may be heard next. */
  fetchAhead(rows: readonly SoundRow[]): void {
    for (const row of rows.slice(0, ELEMENTS - 1)) {
      if (this.held.some(({ copyId }) => copyId === row.copyId)) continue;
      this.load(row, row.sizeBytes <= MOST_AHEAD_BYTES ? 'auto' : 'metadata', rows);
    }
  }

  private load(row: SoundRow, preload: 'auto' | 'metadata', keep: readonly SoundRow[] = []): Held {
    const free = this.held
      .filter((held) => held !== this.active && !keep.some(({ copyId }) => copyId === held.copyId))
      .sort((a, b) => a.used - b.used)[0] as Held;
    free.element.pause();
    free.element.preload = preload;
    free.element.src = playableAddress(row);
    free.copyId = row.copyId;
    this.clock += 1;
    free.used = this.clock;
    return free;
  }
}

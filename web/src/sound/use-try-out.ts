import type { SoundRow } from '@flagstone/contract/record';
import { untouchedTryOut, type Tile, type TryOut } from '@flagstone/core/audio/try-out/try-out';
import { useDebounceFn } from '@vueuse/core';
import { computed, onBeforeUnmount, ref, watch, type Ref } from 'vue';
import { fetchBytes } from '../api/client.ts';
import { samplesIn } from '../wave/wave-data.ts';
import { showError } from '../ui/use-errors.ts';
import { usePlayer, type Part } from '../player/player-store.ts';
import type { TryOutAnswer, TryOutMessage } from './try-out-worker.ts';

/** As much of a sound is worked with while somebody listens; the export works with all of it. */
const MOST_SECONDS = 60;
const REST_MS = 120;

/**
 * Trying a sound out: the steps, and hearing it with them. The same code that makes the exported file works in a worker on the marked part (or the
 * sound from the play line on); what is changed while it plays is heard from the same place on.
 */
export function useTryOut(row: Ref<SoundRow | undefined>) {
  const player = usePlayer();
  const tryOut = ref<TryOut>(untouchedTryOut());
  const working = ref(false);
  const hears = computed(() => player.triedOut && player.playing);
  const isOn = computed(() => tryOut.value.some(({ on }) => on));
  const worker = new Worker(new URL('./try-out-worker.ts', import.meta.url), { type: 'module' });
  let number = 0;
  /** Which samples the worker holds. */
  let held = '';
  let startAt = 0;

  watch(
    [tryOut, isOn],
    () => (player.tryingOut = isOn.value ? (JSON.parse(JSON.stringify(tryOut.value)) as TryOut) : undefined),
    { deep: true },
  );
  onBeforeUnmount(() => (player.tryingOut = undefined));

  worker.onmessage = ({ data }: MessageEvent<TryOutAnswer>) => {
    if (data.number !== number) return;
    working.value = false;
    player.playMade(data.planar, data.sampleRateHz, startAt);
  };
  worker.onerror = (event) => {
    working.value = false;
    showError(new Error(event.message));
  };
  onBeforeUnmount(() => worker.terminate());

  watch(
    () => row.value?.soundId,
    () => {
      tryOut.value = untouchedTryOut();
      held = '';
    },
  );

  /** What is heard: the marked part, the whole sound, or as much of it from the play line on as can be worked with. */
  function partToHear({ facts }: SoundRow): Part {
    const most = MOST_SECONDS * facts.sampleRateHz;
    const marked = player.part ?? { from: 0, to: facts.frames };
    if (marked.to - marked.from <= most) return marked;
    const line = Math.round(player.position * facts.sampleRateHz);
    const from = player.triedOut || line < marked.from || line >= marked.to ? marked.from : line;
    return { from, to: Math.min(marked.to, from + most) };
  }

  /** Plays the sound as the steps make it, from a place within what is made. */
  async function hear(fromSeconds = 0): Promise<void> {
    const current = row.value;
    if (!current) return;
    const part = partToHear(current);
    const key = `${current.soundId} ${part.from} ${part.to}`;
    working.value = true;
    try {
      if (held !== key) {
        const { planar, sampleRateHz } = await samplesIn(current.soundId, part);
        const sound = { planar, channels: planar.length, sampleRateHz };
        worker.postMessage({ kind: 'sound', sound } satisfies TryOutMessage);
        held = key;
      }
      number += 1;
      startAt = fromSeconds;
      // Reactive objects do not travel between threads.
      const steps = JSON.parse(JSON.stringify(tryOut.value)) as TryOut;
      worker.postMessage({ kind: 'render', number, tryOut: steps } satisfies TryOutMessage);
    } catch (error) {
      working.value = false;
      showError(error);
    }
  }

  const hearAgain = useDebounceFn(() => hears.value && void hear(player.position), REST_MS);

  function change<Kind extends Tile['kind']>(kind: Kind, values: Partial<Extract<Tile, { kind: Kind }>>): void {
    // Whoever sets a value wants to hear it.
    tryOut.value = tryOut.value.map((tile) => (tile.kind === kind ? { ...tile, on: true, ...values } : tile));
    void hearAgain();
  }

  function tileOf<Kind extends Tile['kind']>(kind: Kind): Extract<Tile, { kind: Kind }> {
    return tryOut.value.find((tile) => tile.kind === kind) as Extract<Tile, { kind: Kind }>;
  }

  function reset(): void {
    tryOut.value = untouchedTryOut();
    void hearAgain();
  }

  /** Saves the part, or the whole sound, as the steps make it: a file that the browser downloads. */
  async function save(): Promise<void> {
    const current = row.value;
    if (!current) return;
    working.value = true;
    try {
      const body = { part: player.part ?? null, tryOut: tryOut.value };
      const { bytes } = await fetchBytes(`/sounds/${current.soundId}/export`, { body });
      const link = document.createElement('a');
      link.href = URL.createObjectURL(new Blob([bytes], { type: 'audio/wav' }));
      link.download = `${current.name.replace(/\.[^.]*$/, '')} tried out.wav`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
    } catch (error) {
      showError(error);
    } finally {
      working.value = false;
    }
  }

  return { tryOut, working, hears, isOn, hear, change, tileOf, reset, save };
}

export type TryingOut = ReturnType<typeof useTryOut>;

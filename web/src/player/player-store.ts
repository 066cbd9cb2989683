import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import type { SoundRow } from '@flagstone/contract/record';
import { channelLayout } from '@flagstone/core/audio/channel-layout';
import { listeningMatrix, type ChannelChoice } from '@flagstone/core/audio/channel-mix';
import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { ElementPool } from './element-pool.ts';
import { SoundEngine, type MeterReading } from './sound-engine.ts';

/** A part of a sound, in frames, the end not included. */
export interface Part {
  from: number;
  to: number;
}

/** What every sound is brought to while levels are evened, LUFS, and how high its peaks may then reach, dBTP. */
const EVEN_LUFS = -23;
const EVEN_PEAK_DBTP = -1;

/** The one player of the listening strip; it goes on while places change. Times in seconds, parts in frames. */
export const usePlayer = defineStore('player', () => {
  const row = shallowRef<SoundRow>();
  const playing = ref(false);
  const position = ref(0);
  const duration = ref(0);
  const fault = ref('');
  const playOnSelect = useLocalStorage('flagstone.playOnSelect', true);
  const level = useLocalStorage('flagstone.level', 0.8);
  const evenLevels = useLocalStorage('flagstone.evenLevels', false);
  const goesOn = useLocalStorage('flagstone.goesOn', false);
  const outputId = useLocalStorage('flagstone.output', '');
  const channelChoice = ref<ChannelChoice>('all');
  /** The marked part, shared by every picture of the sound. */
  const part = ref<Part>();
  const loops = ref(false);
  /** What is heard is not the sound as it is, but what was made of it. */
  const triedOut = ref(false);
  /** The steps with which the sound is being tried out; undefined when it is heard as it is. What is taken out of the strip is made with them. */
  const tryingOut = ref<TryOut>();

  let engine: SoundEngine | undefined;
  let active: HTMLAudioElement | undefined;
  let buffer: { node: AudioBufferSourceNode; startedAt: number; from: number; seconds: number } | undefined;
  /** Where playing ends before the sound does, seconds. */
  let stopAt: number | undefined;
  /** Called when a sound has played to its end and the next one is wanted. */
  let goToNext: (() => void) | undefined;

  const rate = computed(() => row.value?.facts.sampleRateHz ?? 48_000);
  const evenGain = computed(() => {
    const measured = row.value?.measured;
    if (!evenLevels.value || !measured || measured.loudnessLufs === null) return 1;
    const wanted = EVEN_LUFS - measured.loudnessLufs;
    const room = measured.truePeakDbtp === null ? wanted : EVEN_PEAK_DBTP - measured.truePeakDbtp;
    return 10 ** (Math.min(wanted, room) / 20);
  });

  const pool = new ElementPool((element) => {
    // Events come late: while something made is heard, an element that was silenced for it says nothing.
    const isActive = (): boolean => element === active && !buffer;
    element.addEventListener('play', () => {
      if (!isActive()) return element.pause();
      playing.value = true;
      follow();
    });
    element.addEventListener('pause', () => {
      if (isActive()) playing.value = false;
    });
    element.addEventListener('ended', () => {
      if (isActive()) ended();
    });
    element.addEventListener('seeked', () => {
      if (isActive()) position.value = element.currentTime;
    });
    element.addEventListener('loadedmetadata', () => {
      if (isActive() && Number.isFinite(element.duration)) duration.value = element.duration;
    });
    element.addEventListener('error', () => {
      if (isActive()) failed();
    });
  });

  function failed(): void {
    const current = row.value;
    if (!current || !active) return;
    if (current.state === 'away') {
      fault.value = 'Its drive is not mounted.';
      playing.value = false;
      return;
    }
    // What this browser does not play, the server decodes.
    if (!active.src.includes('as=wav')) {
      const wanted = playing.value || !active.paused;
      const again = pool.reloadAsWav(current);
      if (again && wanted) start(again);
      return;
    }
    playing.value = false;
    fault.value = `This ${current.facts.container} file cannot be played; is it still where it was?`;
  }

  function ended(): void {
    if (loops.value) {
      seek((part.value?.from ?? 0) / rate.value);
      return play();
    }
    playing.value = false;
    if (goesOn.value) goToNext?.();
  }

  /** Follows the sound while it plays: the place of the play line, and where playing has to end. */
  function follow(): void {
    if (buffer && engine) {
      const heard = engine.context.currentTime - buffer.startedAt;
      position.value = Math.min(buffer.seconds, buffer.from + heard);
    } else if (active) {
      position.value = active.currentTime;
      const end = loops.value && part.value ? part.value.to / rate.value : stopAt;
      if (end !== undefined && active.currentTime >= end) {
        if (loops.value && part.value) active.currentTime = part.value.from / rate.value;
        else {
          active.pause();
          stopAt = undefined;
        }
      }
    }
    if (playing.value) requestAnimationFrame(follow);
  }

  /** Browsers allow sound only once a person did something; the engine begins with that. */
  function hear(): void {
    const current = row.value;
    if (!current || !active) return;
    if (!engine) {
      engine = new SoundEngine();
      engine.setLevel(level.value);
      // An output that was unplugged since: the usual one is heard, and the choice says so.
      if (outputId.value !== '') void engine.setOutput(outputId.value).catch(() => (outputId.value = ''));
    }
    engine.hear(active, current.facts.channels);
    void engine.context.resume();
    tune();
  }

  function tune(): void {
    const current = row.value;
    if (!current) return;
    const channels = buffer ? (buffer.node.buffer?.numberOfChannels ?? 1) : current.facts.channels;
    const { speakers } = channelLayout({ channels });
    engine?.setMatrix(listeningMatrix(speakers, channelChoice.value));
    engine?.setEvenGain(buffer ? 1 : evenGain.value);
  }
  watch([channelChoice, evenGain], tune);
  watch(level, (now) => engine?.setLevel(now));

  /** Puts a sound on the strip and, when play on select is on or `andPlay` says so, plays it from its start. */
  function show(next: SoundRow, andPlay = playOnSelect.value): void {
    if (row.value?.copyId !== next.copyId) {
      dropBuffer();
      active?.pause();
      fault.value = '';
      part.value = undefined;
      stopAt = undefined;
      if (row.value?.facts.channels !== next.facts.channels) channelChoice.value = 'all';
      row.value = next;
      active = pool.take(next);
      if (active.currentTime !== 0) active.currentTime = 0;
      playing.value = false;
      position.value = 0;
      duration.value = next.facts.durationSeconds;
      if (active.error) failed();
    }
    row.value = next;
    if (andPlay) play();
  }

  function play(): void {
    if (!row.value || !active) return;
    dropBuffer();
    if (active.ended) active.currentTime = 0;
    start(active);
  }

  function start(element: HTMLAudioElement): void {
    hear();
    element.play().catch((error: unknown) => {
      // Another sound was chosen before this one began, or its error is told already: not a fault of its own.
      if (error instanceof DOMException && (error.name === 'AbortError' || error.name === 'NotSupportedError')) return;
      if (fault.value === '') fault.value = 'The browser refused to play; click the strip once.';
    });
  }

  function pause(): void {
    if (buffer) {
      dropBuffer();
      playing.value = false;
    } else active?.pause();
  }

  function toggle(): void {
    stopAt = undefined;
    if (playing.value) pause();
    else play();
  }

  function seek(seconds: number): void {
    if (!active) return;
    dropBuffer();
    stopAt = undefined;
    active.currentTime = Math.max(0, Math.min(seconds, duration.value));
    position.value = active.currentTime;
  }

  /** Plays from a frame up to another one and stops there. */
  function playPart({ from, to }: Part): void {
    if (!active) return;
    seek(from / rate.value);
    play();
    stopAt = to / rate.value;
  }

  /** Plays samples that were made of the sound, from a moment on; `ended` follows when they have played out. */
  function playMade(planar: readonly Float32Array<ArrayBuffer>[], sampleRateHz: number, fromSeconds: number): void {
    active?.pause();
    dropBuffer();
    hear();
    if (!engine) return;
    const seconds = (planar[0]?.length ?? 0) / sampleRateHz;
    const node = engine.hearBuffer(planar, sampleRateHz, Math.min(fromSeconds, seconds));
    buffer = { node, startedAt: engine.context.currentTime, from: fromSeconds, seconds };
    node.addEventListener('ended', () => {
      if (buffer?.node !== node) return;
      dropBuffer();
      playing.value = false;
    });
    triedOut.value = true;
    playing.value = true;
    tune();
    follow();
  }

  function dropBuffer(): void {
    const node = buffer?.node;
    buffer = undefined;
    triedOut.value = false;
    node?.stop();
  }

  /** Sounds that will probably be heard next are fetched ahead. */
  function fetchAhead(rows: readonly SoundRow[]): void {
    pool.fetchAhead(rows);
  }

  /** Says how the list that is shown goes on; the last one that says so counts. */
  function onGoOn(next: () => void): void {
    goToNext = next;
  }

  async function setOutput(deviceId: string): Promise<void> {
    outputId.value = deviceId;
    await engine?.setOutput(deviceId);
  }

  function read(): MeterReading | undefined {
    return playing.value ? engine?.read() : undefined;
  }

  return {
    row,
    rate,
    playing,
    position,
    duration,
    fault,
    playOnSelect,
    level,
    evenLevels,
    evenGain,
    goesOn,
    outputId,
    channelChoice,
    part,
    loops,
    triedOut,
    tryingOut,
    show,
    play,
    pause,
    toggle,
    seek,
    playPart,
    playMade,
    fetchAhead,
    onGoOn,
    setOutput,
    read,
  };
});

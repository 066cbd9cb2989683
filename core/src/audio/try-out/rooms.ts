import { bandFilter, filterInPlace, type Band } from './biquad.ts';

/** Rooms and devices, each an impulse response that is made here from a few numbers; none is a recording of a real one. */
export const ROOMS = ['tiledRoom', 'stairwell', 'hall', 'telephone', 'handheld', 'nextDoor'] as const;
export type Room = (typeof ROOMS)[number];

/** What each is called. */
export const ROOM_NAMES: Record<Room, string> = {
  tiledRoom: 'small tiled room',
  stairwell: 'stairwell',
  hall: 'hall',
  telephone: 'telephone',
  handheld: 'handheld loudspeaker',
  nextDoor: 'next door',
};

interface RoomShape {
  /** Times in which the reverberation falls by 60 dB, of low and of high frequencies, seconds; 0 for a device. */
  decaySeconds: [low: number, high: number];
  /** Walls from the middle, metres: the first reflections come from them. */
  walls: number[];
  /** What the walls send back, 0 to 1. */
  reflection: number;
  /** What the sound passes through. */
  bands: Band[];
}

const band = (kind: Band['kind'], hertz: number, gainDb = 0, q = Math.SQRT1_2): Band => ({ kind, hertz, gainDb, q });

const SHAPES: Record<Room, RoomShape> = {
  tiledRoom: {
    decaySeconds: [0.55, 0.75],
    walls: [1.1, 1.3, 1.9, 2.2, 1.2],
    reflection: 0.85,
    bands: [band('lowCut', 90), band('highShelf', 5000, 2)],
  },
  stairwell: {
    decaySeconds: [2.1, 1.5],
    walls: [1.4, 1.5, 2.8, 5.5, 8.7, 11.3],
    reflection: 0.75,
    bands: [band('lowCut', 60), band('bell', 700, 2, 1)],
  },
  hall: {
    decaySeconds: [2.8, 1.4],
    walls: [7.5, 8.4, 12.2, 16.1, 21.4],
    reflection: 0.6,
    bands: [band('highShelf', 6000, -3)],
  },
  // The band of the telephone: 300 to 3400 Hz (ITU-T G.712), with the ring of a small capsule.
  telephone: {
    decaySeconds: [0, 0],
    walls: [],
    reflection: 0,
    bands: [
      band('lowCut', 300, 0, 0.9),
      band('lowCut', 300),
      band('highCut', 3400),
      band('highCut', 3400, 0, 0.9),
      band('bell', 1800, 5, 2.5),
    ],
  },
  handheld: {
    decaySeconds: [0, 0],
    walls: [0.04],
    reflection: 0.4,
    bands: [
      band('lowCut', 550),
      band('lowCut', 550, 0, 1.2),
      band('highCut', 7500),
      band('bell', 1100, 7, 3),
      band('bell', 3100, 5, 4),
    ],
  },
  nextDoor: {
    decaySeconds: [0.5, 0.2],
    walls: [2.1, 3.3, 2.6],
    reflection: 0.5,
    bands: [band('highCut', 420), band('highCut', 700), band('lowShelf', 120, 3)],
  },
};

const METRES_A_SECOND = 343;

/** Numbers that look random and are always the same (mulberry32, public domain). */
function noiseOf(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 31 - 1;
  };
}

/**
 * The impulse response of one side of a room (0 left, 1 right), its direct sound first and of level 1: early reflections from the walls, then
 * noise that dies away, its high frequencies in their own time; energy of the part behind the direct sound as loud as that.
 */
export function impulseOf(room: Room, sampleRateHz: number, side: 0 | 1): Float32Array {
  const { decaySeconds, walls, reflection, bands } = SHAPES[room];
  const [low, high] = decaySeconds;
  const length = Math.max(Math.ceil(Math.max(low, high) * sampleRateHz), Math.ceil(0.05 * sampleRateHz));
  const tail = new Float32Array(length);
  if (low > 0) {
    const noise = noiseOf(17 + side);
    const bright = new Float32Array(length);
    for (let frame = 0; frame < length; frame += 1) tail[frame] = noise();
    bright.set(tail);
    filterInPlace(tail, bandFilter(band('highCut', 1500), sampleRateHz));
    filterInPlace(bright, bandFilter(band('lowCut', 1500), sampleRateHz));
    const start = (2 * Math.min(...walls)) / METRES_A_SECOND;
    for (let frame = 0; frame < length; frame += 1) {
      const seconds = frame / sampleRateHz;
      // 60 dB in the decay time: Sabine's definition.
      const falling = (decay: number): number => (seconds < start ? 0 : 10 ** ((-3 * seconds) / decay));
      tail[frame] = (tail[frame] as number) * falling(low) + (bright[frame] as number) * falling(high);
    }
  }
  walls.forEach((metres, index) => {
    // A little further off on one side than on the other, so that the room has a width.
    const seconds = (2 * metres * (1 + 0.03 * (index % 2 === side ? 1 : 0))) / METRES_A_SECOND;
    const frame = Math.round(seconds * sampleRateHz);
    if (frame > 0 && frame < length) tail[frame] = (tail[frame] as number) + reflection / (1 + metres);
  });
  const energy = tail.reduce((sum, value) => sum + value * value, 0);
  const share = low > 0 && energy > 0 ? 1 / Math.sqrt(energy) : 1;
  for (let frame = 0; frame < length; frame += 1) tail[frame] = (tail[frame] as number) * share;
  tail[0] = 1;
  for (const each of bands) filterInPlace(tail, bandFilter(each, sampleRateHz));
  return tail;
}

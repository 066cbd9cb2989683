import { filter, mix, modal, noise, scatter, shape, silence, strike, tone, type Voice } from './signal.ts';

/** What each kind of sound of the demo is made of. A recipe gives one mono channel; call it again for another take or channel. */
export type Recipe = (voice: Voice, seconds: number) => Float32Array;

const CERAMIC = [1, 2.32, 4.25, 6.63, 9.38];
const METAL = [1, 1.51, 2.74, 3.76, 5.4, 6.8, 8.21];
const WOOD = [1, 2.57, 4.1];
const BELL = [0.5, 1, 1.2, 1.5, 2, 2.67, 4];

const slow = (voice: Voice, rate: number, depth: number): ((seconds: number) => number) => {
  const [a, b] = [voice.random() * 6, voice.random() * 6];
  return (seconds) =>
    1 - depth + depth * (0.5 + 0.25 * Math.sin(rate * seconds * 2.1 + a) + 0.25 * Math.sin(rate * seconds * 3.7 + b));
};

const hits = (make: (voice: Voice, length: number) => Float32Array, count: (seconds: number) => number): Recipe => {
  return (voice, seconds) => {
    const signal = silence(voice, seconds);
    const total = Math.max(1, Math.round(count(seconds)));
    const room = seconds / total;
    for (let hit = 0; hit < total; hit += 1) {
      mix(
        signal,
        make(voice, room),
        Math.floor((hit + 0.05 + 0.1 * voice.random()) * room * voice.rate),
        0.7 + 0.3 * voice.random(),
      );
    }
    return signal;
  };
};

const single = (make: (voice: Voice, length: number) => Float32Array): Recipe => hits(make, () => 1);
const series = (make: (voice: Voice, length: number) => Float32Array, every: number): Recipe =>
  hits(make, (seconds) => seconds / every);

const clink = (voice: Voice, length: number): Float32Array =>
  modal(voice, Math.min(length, 0.8), 1500 + 900 * voice.random(), CERAMIC, 0.09, 0.2);
const clank = (voice: Voice, length: number): Float32Array =>
  modal(voice, Math.min(length, 2.5), 240 + 120 * voice.random(), METAL, 0.5);
const knock = (voice: Voice, length: number): Float32Array =>
  modal(voice, Math.min(length, 0.4), 170 + 90 * voice.random(), WOOD, 0.04, 0.6);
const honk = (voice: Voice, length: number): Float32Array => {
  const seconds = Math.min(length, 0.28 + 0.14 * voice.random());
  const base = 380 + 90 * voice.random();
  const reed = tone(voice, seconds, (time) => base * (1 + 0.35 * Math.sin((Math.PI * time) / seconds)), 9);
  return shape(
    voice,
    filter(voice, reed, 'bandpass', 1150, 1.6),
    (time) => Math.sin((Math.PI * time) / seconds) ** 0.6,
  );
};
const step = (voice: Voice, length: number): Float32Array => {
  const grain = (): Float32Array =>
    shape(
      voice,
      filter(voice, noise(voice, 0.03), 'bandpass', 1800 + 2500 * voice.random(), 1.4),
      strike(0.001, 0.007),
    );
  return scatter(voice, Math.min(length, 0.35), 110, grain, (time) => Math.exp(-Math.abs(time - 0.09) * 14));
};
const drip = (voice: Voice, length: number): Float32Array => {
  const base = 700 + 900 * voice.random();
  return shape(
    voice,
    tone(voice, Math.min(length, 0.16), (time) => base * (1 + 5 * time)),
    strike(0.002, 0.03),
  );
};
const click = (voice: Voice, length: number): Float32Array =>
  shape(
    voice,
    filter(voice, noise(voice, Math.min(length, 0.05)), 'bandpass', 2600 + 800 * voice.random(), 3),
    strike(0.0004, 0.006),
  );
const slap = (voice: Voice, length: number): Float32Array => {
  const body = shape(
    voice,
    tone(voice, Math.min(length, 0.3), (time) => 95 - 90 * time),
    strike(0.002, 0.06),
  );
  return mix(
    body,
    shape(voice, filter(voice, noise(voice, Math.min(length, 0.12)), 'lowpass', 1500), strike(0.001, 0.02)),
    0,
    1.2,
  );
};
const creakFrom =
  (low: number, high: number): Recipe =>
  (voice, seconds) => {
    const wander = slow(voice, 1.3, 1);
    const signal = silence(voice, seconds);
    for (let time = 0; time < seconds;) {
      const pull = wander(time);
      mix(
        signal,
        modal(voice, 0.09, low + (high - low) * pull, WOOD, 0.02, 0.15),
        Math.floor(time * voice.rate),
        0.3 + 0.7 * pull,
      );
      time += 0.008 + 0.03 * (1 - pull) + 0.006 * voice.random();
    }
    return signal;
  };
const flow =
  (low: number, high: number, depth: number): Recipe =>
  (voice, seconds) => {
    const swell = slow(voice, 0.6, depth);
    const body = filter(voice, filter(voice, noise(voice, seconds), 'lowpass', high), 'highpass', low);
    const bubble = (): Float32Array =>
      shape(
        voice,
        tone(
          voice,
          0.05,
          (
            (base) => (time: number) =>
              base * (1 + 8 * time)
          )(300 + 900 * voice.random()),
        ),
        strike(0.004, 0.012),
      );
    return mix(shape(voice, body, swell), scatter(voice, seconds, 14, bubble), 0, 0.25);
  };
const chirps: Recipe = (voice, seconds) =>
  scatter(voice, seconds, 1.6, () => {
    const [base, sweep, trill] = [2400 + 2200 * voice.random(), 0.15 + 0.3 * voice.random(), 14 + 18 * voice.random()];
    return shape(
      voice,
      tone(voice, 0.22, (time) => base * (1 + sweep * Math.sin(2 * Math.PI * trill * time))),
      (time) => Math.sin((Math.PI * time) / 0.22) ** 2,
    );
  });
const engine: Recipe = (voice, seconds) => {
  const beat = slow(voice, 0.4, 0.08);
  const signal = silence(voice, seconds);
  for (let time = 0; time < seconds; time += 0.125 / beat(time)) {
    mix(
      signal,
      modal(voice, 0.2, 58 + 6 * voice.random(), [1, 2, 3.1, 5.2], 0.05, 0.5),
      Math.floor(time * voice.rate),
      0.8 + 0.2 * voice.random(),
    );
  }
  return signal;
};

export const RECIPES = {
  gooseHonk: series(honk, 0.75),
  geeseFlock: (voice, seconds) => scatter(voice, seconds, 5, () => honk(voice, 0.4)),
  wingFlap: series(
    (voice, length) =>
      shape(
        voice,
        filter(voice, noise(voice, Math.min(length, 0.16)), 'lowpass', 900),
        (time) => Math.sin((Math.PI * time) / 0.16) ** 2,
      ),
    0.22,
  ),
  lockGateCreak: creakFrom(110, 260),
  doorCreak: creakFrom(320, 900),
  ropeCreak: creakFrom(200, 420),
  ratchet: series(
    (voice, length) => mix(click(voice, length), modal(voice, Math.min(length, 0.3), 620, METAL, 0.04, 0.4), 0, 0.4),
    0.13,
  ),
  sluice: flow(180, 5200, 0.25),
  weir: flow(60, 7000, 0.12),
  canalLap: (voice, seconds) => shape(voice, flow(120, 1400, 0.9)(voice, seconds), slow(voice, 2.2, 0.9)),
  millRace: flow(90, 3800, 0.3),
  drip: series(drip, 0.9),
  splash: single((voice, length) =>
    mix(slap(voice, length), shape(voice, flow(300, 6000, 0.2)(voice, Math.min(length, 1.4)), strike(0.01, 0.3)), 0, 2),
  ),
  kilnRoar: (voice, seconds) =>
    shape(
      voice,
      filter(voice, noise(voice, seconds), 'lowpass', (time) => 260 + 80 * Math.sin(time * 5.1)),
      slow(voice, 7, 0.3),
    ),
  kilnDoor: single(clank),
  burnerIgnite: (voice, seconds) => {
    const burst = shape(
      voice,
      filter(voice, noise(voice, seconds), 'lowpass', (time) => 2400 * Math.exp(-time * 3) + 350),
      (time) => Math.min(1, Math.max(0, time - 0.35) * 20) * (0.4 + Math.exp(-time * 2)),
    );
    return mix(burst, click(voice, 0.1), Math.floor(0.12 * voice.rate), 1.5);
  },
  fireCrackle: (voice, seconds) =>
    mix(
      scatter(voice, seconds, 18, () => click(voice, 0.03)),
      filter(voice, noise(voice, seconds), 'lowpass', 500),
      0,
      0.2,
    ),
  claySlap: series(slap, 1.1),
  wheelHum: (voice, seconds) =>
    mix(
      shape(
        voice,
        tone(voice, seconds, (time) => 98 + 1.5 * Math.sin(time * 6.3), 6),
        slow(voice, 3, 0.2),
      ),
      filter(voice, noise(voice, seconds), 'bandpass', 700, 0.8),
      0,
      0.15,
    ),
  wheelStart: (voice, seconds) =>
    shape(
      voice,
      tone(voice, seconds, (time) => 12 + 86 * (1 - Math.exp(-time * 1.2)), 8),
      (time) => Math.min(1, time * 0.9),
    ),
  potClink: series(clink, 0.7),
  potSetDown: single((voice, length) =>
    mix(knock(voice, length), clink(voice, length), Math.floor(0.012 * voice.rate), 0.6),
  ),
  potBreak: single((voice, length) =>
    mix(
      shape(
        voice,
        scatter(voice, Math.min(length, 2), 70, () => clink(voice, 0.2)),
        strike(0.001, 0.35),
      ),
      slap(voice, 0.3),
      0,
      0.8,
    ),
  ),
  shards: (voice, seconds) => scatter(voice, seconds, 16, () => clink(voice, 0.25)),
  loomClack: series(
    (voice, length) => mix(knock(voice, length), knock(voice, length), Math.floor(0.19 * voice.rate), 0.7),
    0.62,
  ),
  shuttle: single((voice, length) =>
    shape(
      voice,
      filter(
        voice,
        noise(voice, Math.min(length, 0.5)),
        'bandpass',
        (time) => 500 + 3600 * Math.sin(Math.PI * time * 2),
        1.3,
      ),
      (time) => Math.sin(Math.PI * Math.min(1, time * 2)) ** 2,
    ),
  ),
  boatEngine: engine,
  boatHorn: single((voice, length) =>
    shape(
      voice,
      tone(voice, Math.min(length, 1.6), () => 207, 10),
      (time) => Math.min(1, time * 18) * Math.min(1, Math.max(0, 1.6 - time) * 9),
    ),
  ),
  chain: (voice, seconds) =>
    scatter(
      voice,
      seconds,
      22,
      () => modal(voice, 0.25, 1300 + 900 * voice.random(), METAL, 0.03, 0.2),
      slow(voice, 2.4, 0.8),
    ),
  gravelSteps: series(step, 0.55),
  woodSteps: series(knock, 0.58),
  woodDoorSlam: single((voice, length) => mix(slap(voice, length), knock(voice, length), 0, 1.4)),
  latch: series(
    (voice, length) =>
      mix(
        click(voice, length),
        modal(voice, Math.min(length, 0.3), 900, METAL, 0.05, 0.3),
        Math.floor(0.06 * voice.rate),
        0.7,
      ),
    1.2,
  ),
  doorKnock: (voice, seconds) => series(knock, 0.28)(voice, seconds),
  wind: (voice, seconds) =>
    shape(
      voice,
      filter(
        voice,
        noise(voice, seconds),
        'bandpass',
        (time) => 380 + 220 * Math.sin(time * 0.7) + 90 * Math.sin(time * 1.9),
        0.9,
      ),
      slow(voice, 0.8, 0.7),
    ),
  rain: (voice, seconds) =>
    mix(
      scatter(voice, seconds, 160, () =>
        shape(voice, filter(voice, noise(voice, 0.012), 'highpass', 2500), strike(0.0005, 0.003)),
      ),
      filter(voice, noise(voice, seconds), 'highpass', 3000),
      0,
      0.06,
    ),
  birdsong: chirps,
  roomTone: (voice, seconds) =>
    mix(
      filter(voice, noise(voice, seconds), 'lowpass', 240),
      tone(voice, seconds, () => 50, 3),
      0,
      0.03,
    ),
  bell: single((voice, length) => modal(voice, length, 520, BELL, 1.6, 0.1)),
  bicycleBell: series((voice, length) => modal(voice, Math.min(length, 0.9), 2150, [1, 1.48, 2.9], 0.3, 0.1), 0.45),
  millGears: (voice, seconds) => mix(series(knock, 0.31)(voice, seconds), creakFrom(140, 300)(voice, seconds), 0, 0.35),
  handSaw: series(
    (voice, length) =>
      shape(
        voice,
        filter(voice, noise(voice, Math.min(length, 0.42)), 'bandpass', (time) => 1700 + 2200 * time, 1.5),
        (time) => Math.sin((Math.PI * time) / 0.42),
      ),
    0.5,
  ),
  hammer: series((voice, length) => mix(clank(voice, Math.min(length, 0.3)), knock(voice, length), 0, 0.9), 0.6),
  whoosh: single((voice, length) =>
    shape(
      voice,
      filter(
        voice,
        noise(voice, Math.min(length, 0.9)),
        'bandpass',
        (time) => 300 + 2800 * Math.sin((Math.PI * time) / 0.9),
        1,
      ),
      (time) => Math.sin((Math.PI * time) / 0.9) ** 2,
    ),
  ),
  clothRustle: (voice, seconds) =>
    shape(voice, filter(voice, noise(voice, seconds), 'bandpass', 3200, 0.6), slow(voice, 6, 0.95)),
} satisfies Record<string, Recipe>;

export type RecipeName = keyof typeof RECIPES;

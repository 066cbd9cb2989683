import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { aiffChunkBytes } from '@flagstone/core/formats/aiff/aiff-chunks';
import { bytesOfAscii, concatBytes, viewOf } from '@flagstone/core/formats/byte-source';
import { writeId3Tag } from '@flagstone/core/formats/id3/id3-fields';
import { riffChunkBytes } from '@flagstone/core/formats/wav/riff-chunks';
import { DRIVES } from './collection.ts';
import { aiffBytes, cafBytes } from './container-files.ts';
import { RECIPES, type RecipeName } from './recipes.ts';
import { finish, randomSource, seedOf } from './signal.ts';
import { wavBytes, type WavTags } from './wav-file.ts';

/**
 * What other people hand in: the same kinds of sound in every other container, and WAV files with the chunks that samplers and editors leave
 * behind. The coded ones are encoded by ffmpeg.
 */
const run = promisify(execFile);
const SHAPE = { rate: 48000, bits: 16 } as const;
const FOLDER = `${DRIVES[1]}/mixed deliveries`;

type Make = (channels: Float32Array[], target: string) => Promise<Uint8Array | undefined> | Uint8Array;

const text = (id: string, words: string): Uint8Array => aiffChunkBytes(id, new TextEncoder().encode(words));

/** Encodes through ffmpeg, which writes the file itself. */
const coded =
  (options: string[], tags: Record<string, string>): Make =>
  async (channels, target) => {
    const metadata = Object.entries(tags).flatMap(([key, value]) => ['-metadata', `${key}=${value}`]);
    const args = [
      '-v',
      'error',
      '-i',
      '-',
      '-fflags',
      '+bitexact',
      '-flags:a',
      '+bitexact',
      ...options,
      ...metadata,
      target,
    ];
    const encoding = run('ffmpeg', args);
    encoding.child.stdin?.end(wavBytes(channels, SHAPE));
    await encoding;
    return undefined;
  };

const wav =
  (tags: WavTags, ...extra: Uint8Array[]): Make =>
  (channels) =>
    wavBytes(channels, SHAPE, tags, extra);

const DELIVERIES: [name: string, recipe: RecipeName, seconds: number, make: Make][] = [
  [
    'water wheel turning.aiff',
    'millRace',
    4,
    (channels) =>
      aiffBytes(channels, SHAPE, {
        before: [text('NAME', 'Water wheel turning'), text('AUTH', 'Orla Venn')],
        behind: [text('ANNO', 'Overshot wheel, microphone under the launder.'), aiffChunkBytes('MARK', markers())],
      }),
  ],
  ['sack hoist.aifc', 'ropeCreak', 3, (channels) => aiffBytes(channels, SHAPE, { compression: 'sowt' })],
  [
    'stone dressing.flac',
    'hammer',
    3,
    coded([], { title: 'Stone dressing', comment: 'Mill bill on the runner stone', artist: 'Orla Venn' }),
  ],
  [
    'grain chute.mp3',
    'gravelSteps',
    3,
    coded(['-b:a', '192k'], { title: 'Grain chute', album: 'Mill Interiors', genre: 'Folk' }),
  ],
  [
    'hopper shoe rattle.mp3',
    'ratchet',
    2,
    coded(['-id3v2_version', '4', '-write_id3v1', '1'], { title: 'Hopper shoe rattle, damsel driving fast' }),
  ],
  ['bolter sieve.ogg', 'roomTone', 4, coded(['-c:a', 'libvorbis'], { title: 'Bolter sieve', artist: 'Teasel Marsh' })],
  ['gear whine.opus', 'boatEngine', 4, coded(['-c:a', 'libopus'], { title: 'Great spur wheel whine' })],
  ['flour dust sweep.m4a', 'clothRustle', 3, coded(['-c:a', 'aac'], { title: 'Flour dust sweep' })],
  ['mill pond.caf', 'canalLap', 4, (channels) => cafBytes(channels, SHAPE)],
  ['named wrongly.aif', 'weir', 3, wav({ info: { INAM: 'Tail race' } })],
  [
    'three strikes.wav',
    'bell',
    5,
    wav(
      {
        info: { INAM: 'Mill bell three strikes', ICMT: 'Bell over the granary door' },
        bext: { description: 'Bell over the stable door' },
        ixml: { NOTE: 'Bell over the granary door', 'ASWG/fxName': 'Mill Bell' },
      },
      riffChunkBytes('cue ', cuePoints([4_800, 76_800, 148_800])),
      riffChunkBytes('smpl', samplerLoop(48_000, 96_000)),
      riffChunkBytes(
        'id3 ',
        writeId3Tag(
          undefined,
          new Map([
            ['TIT2', 'Mill bell'],
            ['TALB', 'Mill Exteriors'],
          ]),
        ) ?? new Uint8Array(0),
      ),
      riffChunkBytes('mkSt', bytesOfAscii('left by some recorder\0\x01\x02\x03')),
    ),
  ],
];

/** Writes these files; `put` makes the folder of a file, writes its bytes where they are given, and gives its absolute path. */
export async function makeDeliveries(put: (relative: string, bytes?: Uint8Array) => Promise<string>): Promise<void> {
  for (const [name, recipe, seconds, make] of DELIVERIES) {
    const relative = `${FOLDER}/${name}`;
    const voice = { rate: SHAPE.rate, random: randomSource(seedOf(relative)) };
    const channels = [finish(voice, RECIPES[recipe](voice, seconds), 0.6)];
    const bytes = await make(channels, await put(relative));
    if (bytes) await put(relative, bytes);
  }
}

/** Two markers of AIFF 1.3 p. 12: number, position, a Pascal string of even length with its length byte. */
function markers(): Uint8Array {
  const bytes = concatBytes([
    Uint8Array.of(0, 2),
    new Uint8Array(6),
    bytesOfAscii('\x05start'),
    new Uint8Array(6),
    bytesOfAscii('\x03end'),
  ]);
  const view = viewOf(bytes);
  view.setInt16(2, 1);
  view.setUint32(4, 4_800);
  view.setInt16(14, 2);
  view.setUint32(16, 96_000);
  return bytes;
}

function cuePoints(samples: number[]): Uint8Array {
  const bytes = new Uint8Array(4 + samples.length * 24);
  const view = viewOf(bytes);
  view.setUint32(0, samples.length, true);
  samples.forEach((sample, index) => {
    const at = 4 + index * 24;
    view.setUint32(at, index + 1, true);
    view.setUint32(at + 4, sample, true);
    bytes.set(bytesOfAscii('data'), at + 8);
    view.setUint32(at + 20, sample, true);
  });
  return bytes;
}

function samplerLoop(start: number, end: number): Uint8Array {
  const bytes = new Uint8Array(60);
  const view = viewOf(bytes);
  view.setUint32(8, Math.round(1e9 / SHAPE.rate), true);
  view.setUint32(12, 60, true);
  view.setUint32(28, 1, true);
  view.setUint32(36, 1, true);
  view.setUint32(44, start, true);
  view.setUint32(48, end, true);
  return bytes;
}

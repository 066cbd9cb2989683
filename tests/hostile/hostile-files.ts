import { bytesOfAscii, concatBytes } from '@flagstone/core/formats/byte-source';
import { synchsafeBytes } from '@flagstone/core/formats/id3/id3-tag';
import { riffChunkBytes } from '@flagstone/core/formats/wav/riff-chunks';
import { aiffBytes, cafBytes, flacBytes, mp3Frames, oggBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import { mutate, randomNumbers } from '../fuzz/mutate.ts';
import { seedFiles } from '../fuzz/seed-files.ts';

const signal = Float32Array.from({ length: 480 }, (_, index) => Math.sin(index / 7) * 0.5);
const shape = { rate: 48_000, bits: 16 } as const;
const plain = (): Uint8Array => wavBytes([signal], shape);

/** A file with some bytes replaced: a number, little-endian unless said otherwise. */
function put(bytes: Uint8Array, at: number, value: number, size: 1 | 2 | 4 = 4, bigEndian = false): Uint8Array {
  const changed = bytes.slice();
  const view = new DataView(changed.buffer, changed.byteOffset);
  if (size === 1) view.setUint8(at, value);
  else if (size === 2) view.setUint16(at, value, !bigEndian);
  else view.setUint32(at, value, !bigEndian);
  return changed;
}

/** STREAMINFO as it says what it likes (RFC 9639 §8.2): rate, channels, depth and samples. */
function flacSaying(rateHz: number, channels: number, bits: number, samples: bigint): Uint8Array {
  const bytes = flacBytes(60).slice();
  const packed =
    (BigInt(rateHz) << 44n) | (BigInt(channels - 1) << 41n) | (BigInt(bits - 1) << 36n) | (samples & (2n ** 36n - 1n));
  new DataView(bytes.buffer, bytes.byteOffset).setBigUint64(18, packed);
  return bytes;
}

function id3With(body: Uint8Array, flags = 0, saidSize = body.length): Uint8Array {
  return concatBytes([bytesOfAscii('ID3'), Uint8Array.of(3, 0, flags), synchsafeBytes(saidSize), body, mp3Frames(30)]);
}
const txxx = Uint8Array.from([...bytesOfAscii('TXXX'), 0, 0, 0, 5, 0, 0, 0, 97, 0, 98, 0]);
const many = (bytes: Uint8Array, times: number): Uint8Array => concatBytes(Array.from({ length: times }, () => bytes));
const ixml = (text: string): Uint8Array => wavBytes([signal], shape, {}, [riffChunkBytes('iXML', bytesOfAscii(text))]);

/** The places of numbers in a plain WAV file: the form's size, then those of the format chunk (RFC 2361), then the data's size. */
const WAV_AT = {
  riffSize: 4,
  fmtSize: 16,
  tag: 20,
  channels: 22,
  rate: 24,
  bytesASecond: 28,
  align: 32,
  bits: 34,
  dataSize: 40,
};

/** Files that lie, repeat themselves or never end, by name; made by code, the same ones each time. */
export async function hostileFiles(): Promise<Map<string, Uint8Array>> {
  const files: [string, Uint8Array][] = [
    ['flac of 1 Hz.flac', flacSaying(1, 1, 16, 12_800_000n)],
    ['flac of no rate.flac', flacSaying(0, 1, 16, 4800n)],
    ['flac of all samples.flac', flacSaying(48_000, 8, 32, 2n ** 36n - 1n)],
    ['flac of the highest rate.flac', flacSaying(655_350, 8, 24, 2n ** 36n - 1n)],
    ['flac without samples.flac', flacSaying(48_000, 1, 16, 0n)],
    ['flac that is cut.flac', flacBytes(48_000).subarray(0, 200)],
    ['wav of 1 Hz.wav', put(put(plain(), WAV_AT.rate, 1), WAV_AT.bytesASecond, 2)],
    ['wav of 0 Hz.wav', put(plain(), WAV_AT.rate, 0)],
    ['wav of 4 GHz.wav', put(plain(), WAV_AT.rate, 0xffffffff)],
    ['wav of no channel.wav', put(plain(), WAV_AT.channels, 0, 2)],
    ['wav of 65535 channels.wav', put(plain(), WAV_AT.channels, 65_535, 2)],
    ['wav of no align.wav', put(plain(), WAV_AT.align, 0, 2)],
    ['wav of 65535 bits.wav', put(plain(), WAV_AT.bits, 65_535, 2)],
    ['wav of 1 bit.wav', put(plain(), WAV_AT.bits, 1, 2)],
    ['wav with a format of 4 GB.wav', put(plain(), WAV_AT.fmtSize, 0xffffffff)],
    ['wav with a format of 0.wav', put(plain(), WAV_AT.fmtSize, 0)],
    ['wav with data of 4 GB.wav', put(plain(), WAV_AT.dataSize, 0xffffffff)],
    ['wav with data of 0.wav', put(plain(), WAV_AT.dataSize, 0)],
    ['wav of size 0.wav', put(plain(), WAV_AT.riffSize, 0)],
    ['wav of GSM.wav', put(put(plain(), WAV_AT.tag, 0x31, 2), WAV_AT.align, 65, 2)],
    ['wav of an unknown codec.wav', put(plain(), WAV_AT.tag, 0xbeef, 2)],
    [
      'wav of a thousand chunks.wav',
      wavBytes(
        [signal],
        shape,
        {},
        Array.from({ length: 1000 }, () => riffChunkBytes('junk', new Uint8Array(2))),
      ),
    ],
    [
      'wav with a cue of 2 billion.wav',
      wavBytes([signal], shape, {}, [riffChunkBytes('cue ', Uint8Array.of(255, 255, 255, 127))]),
    ],
    [
      'wav with a table of 4 billion.wav',
      concatBytes([
        bytesOfAscii('RF64'),
        Uint8Array.of(255, 255, 255, 255),
        bytesOfAscii('WAVEds64'),
        Uint8Array.of(28, 0, 0, 0),
        new Uint8Array(24).fill(255),
        Uint8Array.of(255, 255, 255, 255),
        plain().subarray(12),
      ]),
    ],
    [
      'wav with a LIST in itself.wav',
      wavBytes([signal], shape, {}, [
        riffChunkBytes(
          'LIST',
          concatBytes([bytesOfAscii('INFO'), many(riffChunkBytes('LIST', bytesOfAscii('INFO')), 3000)]),
        ),
      ]),
    ],
    ['iXML of nested CDATA.wav', ixml(`<BWFXML><NOTE>${'<![CDATA['.repeat(20_000)}]]></NOTE></BWFXML>`)],
    ['iXML of open comments.wav', ixml(`<BWFXML><NOTE>${'<!--'.repeat(50_000)}</NOTE></BWFXML>`)],
    ['iXML of ten thousand levels.wav', ixml(`${'<a>'.repeat(10_000)}${'</a>'.repeat(10_000)}`)],
    [
      'iXML that laughs.wav',
      ixml('<!DOCTYPE a [<!ENTITY b "cccc"><!ENTITY d "&b;&b;&b;&b;">]><BWFXML><NOTE>&d;</NOTE></BWFXML>'),
    ],
    ['iXML of one long attribute.wav', ixml(`<BWFXML ${'a'.repeat(100_000)}><NOTE>x</NOTE></BWFXML>`)],
    ['iXML of spaces.wav', ixml(`<BWFXML${' '.repeat(100_000)}`)],
    ['iXML of ampersands.wav', ixml(`<BWFXML><NOTE>${'&'.repeat(100_000)}</NOTE></BWFXML>`)],
    ['mp3 of 100000 frames in its tag.mp3', id3With(many(txxx, 100_000))],
    ['mp3 of a tag that ends nowhere.mp3', id3With(new Uint8Array(10), 0, 2 ** 28 - 1)],
    ['mp3 of a tag unsynchronised.mp3', id3With(many(Uint8Array.of(0xff, 0x00), 50_000), 0x80)],
    [
      'mp3 of a frame of 2 GB.mp3',
      id3With(Uint8Array.from([...bytesOfAscii('TIT2'), 0x7f, 255, 255, 255, 0, 0, 1, 2])),
    ],
    [
      'mp3 of a frame of nothing.mp3',
      id3With(many(Uint8Array.from([...bytesOfAscii('TIT2'), 0, 0, 0, 0, 0, 0]), 5000)),
    ],
    ['mp3 of sync words alone.mp3', new Uint8Array(50_000).fill(0xff)],
    ['mp3 of tags in a row.mp3', many(id3With(new Uint8Array(10)).subarray(0, 20), 5000)],
    ['ogg of comments without end.ogg', oggComment(0xffffffff)],
    ['ogg of a vendor without end.ogg', put(oggBytes('Vorbis', 60), 0x6c, 0xffffffff)],
    ['ogg of no rate.ogg', put(oggBytes('Vorbis', 60), 40, 0)],
    ['ogg of 255 channels.ogg', put(oggBytes('Vorbis', 60), 39, 255, 1)],
    ['ogg that never ends.ogg', many(oggBytes('Opus', 60).subarray(0, 60), 3000)],
    ['opus of a place beyond.opus', oggGranule(oggBytes('Opus', 60))],
    ['aiff of no rate.aiff', aiffRate(0)],
    ['aiff of endless rate.aiff', aiffRate(0x7fff)],
    [
      'aiff of 65535 markers.aiff',
      aiffBytes([signal], shape, {
        behind: [concatBytes([bytesOfAscii('MARK'), Uint8Array.of(0, 0, 0, 2, 255, 255)])],
      }),
    ],
    ['aiff of size 0.aiff', put(aiffBytes([signal], shape), 4, 0)],
    ['caf of a chunk of minus one.caf', cafChunk('info', -1n)],
    ['caf of a table of 2 to the 62.caf', cafChunk('pakt', 2n ** 62n)],
    [
      'm4a of a box of 0.m4a',
      concatBytes([box('ftyp', 20, bytesOfAscii('M4A \0\0\0\0M4A ')), box('moov', 0, new Uint8Array(8))]),
    ],
    ['m4a in itself.m4a', nestedBoxes(5000)],
    [
      'm4a of a huge box.m4a',
      concatBytes([box('ftyp', 20, bytesOfAscii('M4A \0\0\0\0M4A ')), box('moov', 0xffffffff, new Uint8Array(8))]),
    ],
    ['empty.wav', new Uint8Array(0)],
    ['one byte.flac', Uint8Array.of(102)],
    ['a playlist.mp3', bytesOfAscii('#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nfile:///etc/passwd\n')],
    ['a script for a program.wav', bytesOfAscii('ffconcat version 1.0\nfile /etc/passwd\n')],
    ['a page.ogg', bytesOfAscii('<html><script>alert(1)</script></html>')],
    [`${'long '.repeat(48)}.wav`, plain()],
    ['new\nline\tand \u202e right to left.wav', plain()],
    ['quote \' " ; -- <b> & $(x) `y` %00.wav', plain()],
  ];
  const random = randomNumbers(17);
  for (const [at, seed] of (await seedFiles()).entries())
    files.push([`mutated ${at}.${['wav', 'aiff', 'flac', 'mp3', 'ogg', 'caf', 'm4a'][at % 7]}`, mutate(seed, random)]);
  return new Map(files);
}

function oggComment(count: number): Uint8Array {
  const bytes = oggBytes('Opus', 60);
  const at = Buffer.from(bytes).indexOf('OpusTags');
  const vendor = new DataView(bytes.buffer, bytes.byteOffset).getUint32(at + 8, true);
  return put(bytes, at + 12 + vendor, count);
}

function oggGranule(bytes: Uint8Array): Uint8Array {
  const last = Buffer.from(bytes).lastIndexOf('OggS');
  return put(put(bytes, last + 6, 0xffffffff), last + 10, 0x7fffffff);
}

/** The rate of an AIFF is an 80-bit float; its exponent decides. */
function aiffRate(exponent: number): Uint8Array {
  const bytes = aiffBytes([signal], shape);
  return put(bytes, Buffer.from(bytes).indexOf('COMM') + 16, exponent, 2, true);
}

function cafChunk(type: string, size: bigint): Uint8Array {
  const bytes = cafBytes([signal], shape);
  const head = new Uint8Array(12);
  head.set(bytesOfAscii(type));
  new DataView(head.buffer).setBigInt64(4, size);
  const desc = 8 + 12 + 32;
  return concatBytes([bytes.subarray(0, desc), head, bytes.subarray(desc)]);
}

function box(type: string, size: number, body: Uint8Array): Uint8Array {
  const head = new Uint8Array(8);
  new DataView(head.buffer).setUint32(0, size);
  head.set(bytesOfAscii(type), 4);
  return concatBytes([head, body]);
}

function nestedBoxes(levels: number): Uint8Array {
  const heads = Array.from({ length: levels }, (_, level) => box('moov', (levels - level) * 8, new Uint8Array(0)));
  return concatBytes([box('ftyp', 20, bytesOfAscii('M4A \0\0\0\0M4A ')), ...heads]);
}

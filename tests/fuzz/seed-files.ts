import { execFile } from 'node:child_process';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { aiffChunkBytes } from '@flagstone/core/formats/aiff/aiff-chunks';
import { bytesOfAscii, concatBytes, memorySource } from '@flagstone/core/formats/byte-source';
import { FLAC_BLOCK } from '@flagstone/core/formats/flac/flac-blocks';
import { id3FrameBytes, id3TagBytes } from '@flagstone/core/formats/id3/id3-tag';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { applyPlan } from '@flagstone/core/formats/write-plan';
import { riffChunkBytes } from '@flagstone/core/formats/wav/riff-chunks';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import { aiffBytes, cafBytes, flacBytes, mp3Frames, oggBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';

const run = promisify(execFile);
const signal = Float32Array.from({ length: 60 }, (_, index) => Math.sin(index / 7));
const shape = { rate: 48000, bits: 16 } as const;

/** The record that mutated files are asked to carry. */
export const FUZZ_RECORD: SoundRecord = {
  ...emptyRecord(),
  fxName: 'Pot Falls',
  description: 'A pot falls.',
  keywords: ['pot'],
  recordedOn: '2024-05-13T10:11:12',
};

async function written(file: Uint8Array): Promise<Uint8Array> {
  const { plan } = await planWrite(memorySource(file), FUZZ_RECORD);
  return plan ? applyPlan(file, plan) : file;
}

/** Small files of every container, bare and with metadata in every place, to be mutated. */
export async function seedFiles(): Promise<Uint8Array[]> {
  const chapter = id3FrameBytes(4, 'CHAP', concatBytes([bytesOfAscii('a\0'), new Uint8Array(16)]));
  const tag = id3TagBytes(4, [id3FrameBytes(4, 'TIT2', bytesOfAscii('\x03Pot')), chapter], 40);
  const xmp = bytesOfAscii('<x><dc:title><rdf:li>Pot</rdf:li></dc:title></x>');
  const cart = new Uint8Array(2060);
  const bare = [
    wavBytes([signal], shape),
    aiffBytes([signal], shape),
    aiffBytes([signal], shape, { compression: 'sowt' }),
    flacBytes(60),
    mp3Frames(2),
    concatBytes([mp3Frames(2), bytesOfAscii('TAG'), new Uint8Array(125)]),
    oggBytes('Vorbis', 60),
    oggBytes('Opus', 60),
  ];
  const rich = [
    wavBytes([signal], shape, {}, [
      riffChunkBytes('id3 ', tag),
      riffChunkBytes('_PMX', xmp),
      riffChunkBytes('cue ', new Uint8Array(28).fill(1)),
      riffChunkBytes('smpl', new Uint8Array(60).fill(1)),
      riffChunkBytes('cart', cart),
      riffChunkBytes('LIST', bytesOfAscii('adtllabl\x06\0\0\0\x01\0\0\0a\0')),
    ]),
    aiffBytes([signal], shape, {
      before: [aiffChunkBytes('MARK', new Uint8Array(20).fill(1))],
      behind: [aiffChunkBytes('ID3 ', tag)],
    }),
    flacBytes(60, [
      [FLAC_BLOCK.cueSheet, new Uint8Array(500).fill(2)],
      [FLAC_BLOCK.picture, new Uint8Array(60)],
    ]),
    concatBytes([tag, mp3Frames(2)]),
    cafBytes([signal], shape),
    await m4aFile(),
  ];
  return [...bare, ...rich, ...(await Promise.all(bare.map(written)))];
}

/** ffmpeg lays out the boxes of M4A. */
async function m4aFile(): Promise<Uint8Array> {
  const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-fuzz-'));
  try {
    const file = path.join(folder, 'seed.m4a');
    await run('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'sine=duration=0.05', '-metadata', 'title=Pot', file]);
    return new Uint8Array(await readFile(file));
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

import { execFile } from 'node:child_process';
import { lstat, open, unlink } from 'node:fs/promises';
import path from 'node:path';
import { promisify } from 'node:util';
import { encodePcm } from '@flagstone/core/audio/encode-pcm';
import { decodePcm } from '@flagstone/core/audio/pcm';
import { quickAudioDigest } from '@flagstone/core/audio/digest';
import { fadeGain } from '@flagstone/core/audio/try-out/try-out';
import { AppError } from '@flagstone/core/errors';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { concatBytes, type ByteSource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { writeBext } from '@flagstone/core/formats/wav/bext';
import { newWavParts, wavFrameBytes } from '@flagstone/core/formats/wav/new-wav';
import { riffChunkBytes } from '@flagstone/core/formats/wav/riff-chunks';
import type { Segment } from '@flagstone/core/formats/write-plan';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { writeSegments } from './copy-file.ts';
import { holdFolder, inHeld } from './held-folder.ts';
import { complaintOf, inputOf, limitedFfmpeg } from './decoder.ts';
import { handleSource, syncFolder } from './drive-files.ts';
import { takeFolderRights } from './folder-rights.ts';
import { nameNew } from './name-new.ts';
import { readAudio, sha256 } from './read-audio.ts';
import { isPlainPcm, withAudio, type FrameRange } from './read-samples.ts';
import { temporaryName, whileUnderWay } from './temporary-names.ts';
import { readViewAudio } from './wav-view.ts';

const run = promisify(execFile);

export interface CutOut {
  range: FrameRange;
  fadeInSeconds: number;
  fadeOutSeconds: number;
  record: SoundRecord;
}

/** In which form a part of a file is kept, and whether its samples stay as they are stored. */
export function cutForm(facts: AudioFacts): { extension: '.wav' | '.flac'; isLossless: boolean } {
  if (isPlainPcm(facts))
    return { extension: '.wav', isLossless: facts.bitDepth !== 64 || facts.sampleFormat !== 'float' };
  return facts.container === 'FLAC'
    ? { extension: '.flac', isLossless: true }
    : { extension: '.wav', isLossless: false };
}

/**
 * Makes a file of a part of another one, both given by absolute paths that were checked before, and never overwrites: PCM with the very samples,
 * FLAC encoded anew without loss, other audio decoded to 24 bits. `beforeNaming` is told the new audio's quick digest while the file still
 * bears a temporary name. Throws NAME_TAKEN, SYMLINK_OUTSIDE when the folder does not lie `within` another one (a real path), and what reading throws.
 */
export async function cutFile(
  source: string,
  target: string,
  cut: CutOut,
  beforeNaming: (quickDigest: string) => Promise<void>,
  within: string,
): Promise<void> {
  await holdFolder(path.dirname(target), within, (held) => cutInto(held, source, target, cut, beforeNaming));
}

async function cutInto(
  folder: string,
  source: string,
  target: string,
  cut: CutOut,
  beforeNaming: (quickDigest: string) => Promise<void>,
): Promise<void> {
  const { ino } = await lstat(source);
  const [raw, whole] = [temporaryName('part', `${ino}0`), temporaryName('part', String(ino))];
  await whileUnderWay(raw, () =>
    whileUnderWay(whole, async () => {
      // ffmpeg is another process, to which what is held here means nothing.
      const [rawPath, wholePath] = [path.join(path.dirname(target), raw), `${folder}/${whole}`];
      try {
        await withAudio(source, (bytes, facts) =>
          isPlainPcm(facts) ? cutPcm(bytes, facts, wholePath, cut) : cutCoded(source, facts, rawPath, wholePath, cut),
        );
        await withAudio(wholePath, async (bytes, facts) =>
          beforeNaming(await quickAudioDigest(bytes, facts, sha256())),
        );
        await takeFolderRights(wholePath);
        await nameNew(wholePath, inHeld(folder, target));
      } finally {
        for (const left of [rawPath, wholePath])
          await unlink(left).catch((error: NodeJS.ErrnoException) => {
            if (error.code !== 'ENOENT') throw error;
          });
      }
    }),
  );
  await syncFolder(folder);
}

/** A WAV file that stands half in memory, half in the file that it is cut from. */
async function cutPcm(source: ByteSource, facts: AudioFacts, target: string, cut: CutOut): Promise<void> {
  const { range } = cut;
  const isWide = facts.sampleFormat === 'float' && facts.bitDepth === 64;
  const bitDepth = isWide ? 32 : facts.bitDepth;
  const shape = { ...facts, bitDepth, frames: range.to - range.from };
  const view = { facts, range, bitDepth, frameBytes: wavFrameBytes(shape) };
  const { head, tail, audioBytes } = newWavParts({ ...shape, chunks: bextOf(facts, range.from) });
  const sizeBytes = head.length + audioBytes + tail.length;
  const audio = fadedAudio(view, audioBytes, cut, (offset, length) => readViewAudio(source, view, offset, length));
  const made: ByteSource = {
    sizeBytes,
    async read(offset, length) {
      const end = Math.min(sizeBytes, offset + length);
      const [from, to] = [Math.max(offset, head.length), Math.min(end, head.length + audioBytes)];
      return concatBytes([
        head.subarray(offset, Math.min(end, head.length)),
        to > from ? await audio(from - head.length, to - from) : new Uint8Array(0),
        tail.subarray(0, Math.max(0, end - head.length - audioBytes)),
      ]);
    },
  };
  await writeWithRecord(made, target, cut.record);
}

/** Where a part stands in time, when its source says so. */
function bextOf(facts: AudioFacts, from: number): Uint8Array[] {
  if (facts.timeReference === undefined) return [];
  const contents = writeBext(undefined, { timeReference: facts.timeReference + from });
  return [riffChunkBytes('bext', contents)];
}

type ReadAudioBytes = (offset: number, length: number) => Promise<Uint8Array>;

/** The bytes of the audio with its ends faded; what lies between is handed on as it is stored. */
function fadedAudio(
  view: { facts: AudioFacts; frameBytes: number; bitDepth: number },
  audioBytes: number,
  { fadeInSeconds, fadeOutSeconds }: CutOut,
  read: ReadAudioBytes,
): ReadAudioBytes {
  const { facts, frameBytes, bitDepth } = view;
  const frames = audioBytes / frameBytes;
  const rise = Math.min(frames, Math.round(fadeInSeconds * facts.sampleRateHz));
  const fall = Math.min(frames, Math.round(fadeOutSeconds * facts.sampleRateHz));
  if (rise === 0 && fall === 0) return read;
  const { sampleFormat } = facts;
  if (sampleFormat !== 'integer' && sampleFormat !== 'float')
    throw new AppError('CODEC_NOT_SUPPORTED', `Audio in ${facts.codec} is cut without fades only.`);
  return async (offset, length) => {
    const first = Math.floor(offset / frameBytes);
    const count = Math.ceil((offset + length) / frameBytes) - first;
    const bytes = await read(first * frameBytes, count * frameBytes);
    const skip = offset - first * frameBytes;
    if (first >= rise && first + count <= frames - fall) return bytes.subarray(skip, skip + length);
    const planar = Array.from({ length: facts.channels }, () => new Float32Array(count));
    decodePcm(bytes, { ...facts, bitDepth, frameBytes, bigEndian: false, signedBytes: false }, planar);
    for (const samples of planar)
      for (let index = 0; index < count; index += 1) {
        const frame = first + index;
        const gain = (rise > 0 ? fadeGain(frame / rise) : 1) * (fall > 0 ? fadeGain((frames - 1 - frame) / fall) : 1);
        if (gain < 1) samples[index] = (samples[index] as number) * gain;
      }
    return encodePcm(planar, { sampleFormat, bitDepth }).subarray(skip, skip + length);
  };
}

async function cutCoded(
  source: string,
  facts: AudioFacts,
  raw: string,
  whole: string,
  { range, fadeInSeconds, fadeOutSeconds, record }: CutOut,
): Promise<void> {
  const seconds = (range.to - range.from) / facts.sampleRateHz;
  const filters = [`atrim=start_sample=${range.from}:end_sample=${range.to}`, 'asetpts=N/SR/TB'];
  if (fadeInSeconds > 0) filters.push(`afade=t=in:d=${fadeInSeconds}`);
  if (fadeOutSeconds > 0) filters.push(`afade=t=out:st=${Math.max(0, seconds - fadeOutSeconds)}:d=${fadeOutSeconds}`);
  const isFlac = cutForm(facts).extension === '.flac';
  const depth =
    facts.bitDepth > 16
      ? ['-sample_fmt', 's32', '-bits_per_raw_sample', String(facts.bitDepth)]
      : ['-sample_fmt', 's16'];
  const coding = isFlac ? ['-c:a', 'flac', ...depth, '-f', 'flac'] : ['-c:a', 'pcm_s24le', '-f', 'wav'];
  const args = [...inputOf(source, facts), '-map', '0:a:0', '-map_metadata', '-1', '-bitexact'];
  const [command, ...rest] = limitedFfmpeg(facts, [...args, '-af', filters.join(','), ...coding, `file:${raw}`]);
  await run(command, rest).catch((error: unknown) => {
    const { stderr = '' } = error as { stderr?: string };
    throw new AppError('CODEC_NOT_SUPPORTED', `ffmpeg cannot cut it: ${complaintOf(stderr, source)}`, {
      cause: error,
    });
  });
  const handle = await open(raw, 'r');
  try {
    await writeWithRecord(handleSource(handle, (await handle.stat()).size), whole, record);
  } finally {
    await handle.close();
  }
}

/** Writes a new file with the record in it, and proves that its audio is that of the source. */
async function writeWithRecord(source: ByteSource, target: string, record: SoundRecord): Promise<void> {
  const { plan } = await planWrite(source, record);
  const segments: Segment[] = plan?.segments ?? [{ kind: 'keep', offset: 0, length: source.sizeBytes }];
  await writeSegments(target, source, segments, () => undefined);
  const digest = async (bytes: ByteSource): Promise<string> =>
    quickAudioDigest(bytes, (await readAudio(bytes)).facts, sha256());
  const written = await withAudio(target, digest);
  if (written !== (await digest(source)))
    throw new AppError('AUDIO_CHANGED', `${target} does not hold the audio that it was to hold.`);
}

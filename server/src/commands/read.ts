import { parseArgs } from 'node:util';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import { readAudio, sha256 } from '../drives/read-audio.ts';
import { eachItem, fileOnCommandLine } from './open-file.ts';
import { UsageError } from './usage.ts';

/** `read FILE...`: what each file says of itself, one JSON object a line; `--raw` adds every place, `--digest` the audio digest. */
export async function read(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: { raw: { type: 'boolean' }, digest: { type: 'boolean' } },
  });
  if (positionals.length === 0) throw new UsageError('read needs at least one FILE');
  return eachItem(positionals, async (given) => {
    const { files, name } = await fileOnCommandLine(given);
    return files.withSource('', name, async (source) => {
      const { facts, record, places, disagreeing, issues } = await readAudio(source, name);
      const { container, codec, sampleRateHz, bitDepth, channels, frames, durationSeconds } = facts;
      const { channelMask, timeReference, decodedMd5, encoderDelayFrames } = facts;
      const audioDigest = values.digest ? await fullAudioDigest(source, facts, sha256()) : undefined;
      return {
        path: given,
        container,
        codec,
        sampleRateHz,
        bitDepth,
        channels,
        frames,
        durationSeconds,
        channelMask,
        timeReference,
        decodedMd5,
        encoderDelayFrames,
        audioDigest,
        record,
        issues,
        ...(values.raw ? { places, disagreeing } : {}),
      };
    });
  });
}

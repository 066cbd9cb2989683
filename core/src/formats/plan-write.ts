import { AppError } from '../errors.ts';
import type { SoundRecord } from '../record/fields.ts';
import { planAiffWrite } from './aiff/aiff-writer.ts';
import type { ByteSource } from './byte-source.ts';
import { containerOf, type ContainerKind } from './container.ts';
import { planFlacWrite } from './flac/flac-writer.ts';
import { planMp3Write } from './mp3/mp3-writer.ts';
import { planOggWrite } from './ogg/ogg-writer.ts';
import { planWavWrite } from './wav/wav-writer.ts';
import type { WriteOptions } from './write-options.ts';
import type { PlannedWrite } from './write-plan.ts';

type Planner = (source: ByteSource, record: SoundRecord, options: WriteOptions) => Promise<PlannedWrite>;

const PLANNERS: Partial<Record<ContainerKind, Planner>> = {
  wave: planWavWrite,
  aiff: planAiffWrite,
  flac: planFlacWrite,
  mp3: planMp3Write,
  ogg: planOggWrite,
};

/**
 * Plans the rewriting of a file so that it carries the record, in every place of its container. Throws FORMAT_NOT_WRITABLE for containers
 * that are only read, FORMAT_DAMAGED for a structure that cannot be trusted.
 */
export async function planWrite(
  source: ByteSource,
  record: SoundRecord,
  options: WriteOptions = { id3Version: 3 },
): Promise<PlannedWrite> {
  const kind = await containerOf(source);
  const planner = kind && PLANNERS[kind];
  if (!planner) {
    throw new AppError(
      'FORMAT_NOT_WRITABLE',
      `Files of this container${kind ? ` (${kind.toUpperCase()})` : ''} are only read.`,
    );
  }
  return planner(source, record, options);
}

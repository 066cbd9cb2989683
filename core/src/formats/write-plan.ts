import { AppError } from '../errors.ts';
import type { FieldName } from '../record/fields.ts';
import { concatBytes, type ByteSource } from './byte-source.ts';

/**
 * How a file is to be rewritten: ranges of the old file to keep and new bytes, in order. Core plans; the server carries it out, on a
 * temporary file or in place, and proves that the audio is unchanged.
 */
export type Segment = { kind: 'keep'; offset: number; length: number } | { kind: 'bytes'; bytes: Uint8Array };

export interface WritePlan {
  segments: Segment[];
  /** Where the audio will stand in the new file; its length stays. */
  audioOffset: number;
  audioBytes: number;
  sizeBytes: number;
}

/** What writing a record into a file takes. */
export interface PlannedWrite {
  /** Undefined when the file carries the record already, in every place. */
  plan?: WritePlan;
  /** The fields whose value in the file changes. */
  changed: FieldName[];
}

/** Bytes of a segment. */
export function segmentLength(segment: Segment): number {
  return segment.kind === 'keep' ? segment.length : segment.bytes.length;
}

/** The new file that a plan makes, without being made: what was kept is read where it stands. */
export function plannedSource(source: ByteSource, plan: WritePlan): ByteSource {
  return {
    sizeBytes: plan.sizeBytes,
    async read(offset, length) {
      const end = Math.min(plan.sizeBytes, offset + length);
      const parts: Uint8Array[] = [];
      let at = 0;
      for (const segment of plan.segments) {
        const [from, to] = [Math.max(offset, at) - at, Math.min(end, at + segmentLength(segment)) - at];
        if (from < to)
          parts.push(
            segment.kind === 'bytes'
              ? segment.bytes.subarray(from, to)
              : (await source.read(segment.offset + from, to - from)).slice(),
          );
        at += segmentLength(segment);
      }
      return concatBytes(parts);
    },
  };
}

/** Whether the audio of the new file is one range of the old file, the very one that its audio was. */
export function keepsAudio(plan: WritePlan, audio: { audioOffset: number; audioBytes: number }): boolean {
  if (plan.audioBytes !== audio.audioBytes) return false;
  let at = 0;
  for (const segment of plan.segments) {
    const within = plan.audioOffset - at;
    const length = segmentLength(segment);
    if (within >= 0 && within < length)
      return (
        segment.kind === 'keep' &&
        segment.offset + within === audio.audioOffset &&
        within + plan.audioBytes <= segment.length
      );
    at += length;
  }
  return plan.audioBytes === 0;
}

/** The new file that a plan makes of a file in memory. */
export function applyPlan(file: Uint8Array, plan: WritePlan): Uint8Array<ArrayBuffer> {
  return concatBytes(
    plan.segments.map((segment) =>
      segment.kind === 'bytes' ? segment.bytes : file.subarray(segment.offset, segment.offset + segment.length),
    ),
  );
}

/** Gathers segments, joining ranges that follow each other, and knows the position in the new file. */
export class SegmentList {
  readonly segments: Segment[] = [];
  position = 0;

  keep(offset: number, length: number): void {
    if (length <= 0) return;
    const last = this.segments.at(-1);
    if (last?.kind === 'keep' && last.offset + last.length === offset) last.length += length;
    else this.segments.push({ kind: 'keep', offset, length });
    this.position += length;
  }

  bytes(bytes: Uint8Array): void {
    if (bytes.length === 0) return;
    this.segments.push({ kind: 'bytes', bytes });
    this.position += bytes.length;
  }

  /** The plan for an audio range that stands among what was kept. */
  plan(audioOffset: number, audioBytes: number): WritePlan {
    return { segments: this.segments, audioOffset, audioBytes, sizeBytes: this.position };
  }
}

/** How padding between metadata and audio can be made: `smallest` bytes or more, or none at all. */
export interface PaddingRule {
  smallest: number;
  /** Bytes laid in where the audio has to move anyway, so that later edits need not move it. */
  spare: number;
  largest?: number;
}

/**
 * Bytes of padding that leave the audio where it is, when `fixedBytes` of other bytes stand before it; where that cannot be, the spare
 * padding of a file that is copied.
 */
export function paddingFor(fixedBytes: number, audioOffset: number, rule: PaddingRule): number {
  const room = audioOffset - fixedBytes;
  const fits = room === 0 || (room >= rule.smallest && room <= (rule.largest ?? Infinity));
  return fits ? room : rule.spare;
}

/** A range of the file that gets other bytes. */
export interface Patch {
  offset: number;
  bytes: Uint8Array;
}

/** Most bytes that are rewritten in place; more is copied. */
const MAX_PATCH_BYTES = 4 * 1024 * 1024;

/**
 * The plan as patches of the file itself, when its audio stays where it is and little else changes; undefined when the file has to be
 * copied. No patch touches the audio. Bytes behind the audio may move; they are read here.
 */
export async function patchesOf(
  plan: WritePlan,
  source: ByteSource,
  audio: { audioOffset: number; audioBytes: number },
): Promise<Patch[] | undefined> {
  if (plan.audioOffset !== audio.audioOffset || plan.audioBytes !== audio.audioBytes) return undefined;
  const audioEnd = audio.audioOffset + audio.audioBytes;
  const patches: Patch[] = [];
  let position = 0;
  let total = 0;
  for (const segment of plan.segments) {
    const length = segmentLength(segment);
    if (segment.kind === 'bytes' || segment.offset !== position) {
      total += length;
      if (total > MAX_PATCH_BYTES) return undefined;
      const bytes = segment.kind === 'bytes' ? segment.bytes : await source.read(segment.offset, segment.length);
      if (bytes.length !== length)
        throw new AppError('FILE_CHANGED', 'The file became shorter while it was being read.');
      if (position < audioEnd && position + length > audio.audioOffset) return undefined;
      patches.push({ offset: position, bytes: bytes.slice() });
    }
    position += length;
  }
  return patches;
}

/**
 * How a file is to be rewritten: ranges of the old file to keep and new bytes, in order. Core plans; the server carries it out on
 * a temporary file and proves that the audio came over unchanged.
 */
export type Segment = { kind: 'keep'; offset: number; length: number } | { kind: 'bytes'; bytes: Uint8Array };

export interface WritePlan {
  segments: Segment[];
  /** Where the audio will stand in the new file; its length stays. */
  audioOffset: number;
  audioBytes: number;
  sizeBytes: number;
}

/** Bytes of a segment. */
export function segmentLength(segment: Segment): number {
  return segment.kind === 'keep' ? segment.length : segment.bytes.length;
}

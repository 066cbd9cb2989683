import type { Issue } from '../errors.ts';
import type { ContainerName } from './audio-file.ts';
import { asciiOf, type ByteSource } from './byte-source.ts';
import { id3TagSize } from './id3/id3-tag.ts';
import { findFirstFrame } from './mp3/frame-rows.ts';
import { isW64 } from './w64/w64-reader.ts';

export type ContainerKind = 'wave' | 'aiff' | 'flac' | 'mp3' | 'ogg' | 'caf' | 'm4a' | 'w64' | 'au';

/** File name extensions by container (common practice); files with one of them are taken up when a folder is indexed. */
const EXTENSIONS: Record<ContainerKind, readonly string[]> = {
  wave: ['.wav', '.wave', '.bwf', '.rf64'],
  aiff: ['.aif', '.aiff', '.aifc'],
  flac: ['.flac'],
  mp3: ['.mp3'],
  ogg: ['.ogg', '.oga', '.opus'],
  caf: ['.caf'],
  m4a: ['.m4a', '.mp4'],
  w64: ['.w64'],
  au: ['.au', '.snd'],
};
/** Frames in a row that no other file has by accident. */
const FRAMES_BEHIND_JUNK = 4;
const AUDIO_EXTENSIONS: readonly string[] = Object.values(EXTENSIONS).flat();

/** Whether a file name or path ends as those of audio files do that can be read. */
export function isAudioName(name: string): boolean {
  return AUDIO_EXTENSIONS.includes(/\.[^./]+$/.exec(name)?.[0].toLowerCase() ?? '');
}

/** The container by the first bytes of a file, whatever its name says; undefined when unknown. */
export function sniffContainer(head: Uint8Array): ContainerKind | undefined {
  const id = asciiOf(head.subarray(0, 4));
  const form = asciiOf(head.subarray(8, 12));
  if ((id === 'RIFF' || id === 'RIFX' || id === 'RF64' || id === 'BW64') && form === 'WAVE') return 'wave';
  if (id === 'FORM' && (form === 'AIFF' || form === 'AIFC')) return 'aiff';
  if (id === 'fLaC') return 'flac';
  if (id === 'OggS') return 'ogg';
  if (id === 'caff') return 'caf';
  if (id === '.snd') return 'au';
  if (isW64(head)) return 'w64';
  if (asciiOf(head.subarray(4, 8)) === 'ftyp') return 'm4a';
  if (id.startsWith('ID3')) return 'mp3';
  // MPEG audio frame sync with a legal layer and bit rate, ISO/IEC 11172-3 §2.4.1.3.
  const [first = 0, second = 0, third = 0] = head;
  if (first === 0xff && (second & 0xe0) === 0xe0 && (second & 0x06) !== 0 && third >> 4 !== 0x0f) return 'mp3';
  return undefined;
}

/**
 * The container of a file by its content; an ID3 tag that stands before a FLAC stream does not hide it, nor does junk before the first frame of
 * an MP3, where several frames in a row follow it.
 */
export async function containerOf(source: ByteSource): Promise<ContainerKind | undefined> {
  const head = await source.read(0, 64);
  const tagBytes = id3TagSize(head.subarray(0, 10));
  if (tagBytes === undefined) {
    const kind = sniffContainer(head);
    if (kind !== undefined) return kind;
    return (await findFirstFrame(source, 0, FRAMES_BEHIND_JUNK)) ? 'mp3' : undefined;
  }
  return asciiOf(await source.read(tagBytes, 4)) === 'fLaC' ? 'flac' : 'mp3';
}

/** What a name has to end in for its content, as most files of that kind do; undefined where it does, or ends in nothing that is audio. */
export function rightExtension(fileName: string, container: string): string | undefined {
  return isContainerName(container) && extensionIssue(fileName, container)
    ? EXTENSIONS[KIND_OF[container]][0]
    : undefined;
}

const isContainerName = (name: string): name is ContainerName => Object.hasOwn(KIND_OF, name);

/** The kind that a container belongs to. */
export const KIND_OF: Record<ContainerName, ContainerKind> = {
  WAV: 'wave',
  RIFX: 'wave',
  RF64: 'wave',
  BW64: 'wave',
  AIFF: 'aiff',
  'AIFF-C': 'aiff',
  FLAC: 'flac',
  MP3: 'mp3',
  Ogg: 'ogg',
  CAF: 'caf',
  M4A: 'm4a',
  W64: 'w64',
  AU: 'au',
};

/** The code of the issue of a name that ends in what belongs to another content. */
export const OTHER_EXTENSION = 'OTHER_EXTENSION';

/** The issue of a name whose extension belongs to another container than the content; undefined when they go together. */
export function extensionIssue(fileName: string, container: string): Issue | undefined {
  const extension = /\.[^.]+$/.exec(fileName)?.[0].toLowerCase() ?? '';
  if (
    !isContainerName(container) ||
    !AUDIO_EXTENSIONS.includes(extension) ||
    EXTENSIONS[KIND_OF[container]].includes(extension)
  )
    return undefined;
  return { code: OTHER_EXTENSION, message: `Its content is ${container}, although its name ends in ${extension}.` };
}

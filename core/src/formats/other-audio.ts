import { asciiOf } from './byte-source.ts';

/** Audio that is not taken up, by the ends of file names (common practice). */
const BY_EXTENSION: Readonly<Record<string, string>> = {
  '.wv': 'WavPack',
  '.ape': 'Monkey’s Audio',
  '.tta': 'True Audio',
  '.shn': 'Shorten',
  '.ofr': 'OptimFROG',
  '.tak': 'TAK',
  '.aac': 'AAC without a container',
  '.adts': 'AAC without a container',
  '.m4b': 'M4A audiobook',
  '.mp1': 'MPEG layer I',
  '.mp2': 'MPEG layer II',
  '.mpc': 'Musepack',
  '.wma': 'Windows Media Audio',
  '.ra': 'RealAudio',
  '.rm': 'RealAudio',
  '.ac3': 'AC-3',
  '.eac3': 'AC-3',
  '.dts': 'DTS',
  '.amr': 'AMR',
  '.spx': 'Speex',
  '.dsf': 'DSD',
  '.dff': 'DSD',
  '.mka': 'Matroska audio',
  '.weba': 'WebM audio',
  '.voc': 'VOC',
  '.8svx': '8SVX',
  '.gsm': 'GSM',
  '.sd2': 'SD2',
};

/** The first bytes of such audio: the formats' own descriptions, from memory. */
const BY_CONTENT: readonly [kind: string, matches: (head: Uint8Array, text: string) => boolean][] = [
  ['WavPack', (_, text) => text.startsWith('wvpk')],
  ['Monkey’s Audio', (_, text) => text.startsWith('MAC ')],
  ['True Audio', (_, text) => /^TTA[12]/.test(text)],
  ['Shorten', (_, text) => text.startsWith('ajkg')],
  ['Musepack', (_, text) => /^(MPCK|MP\+)/.test(text)],
  // The header object of ASF, of which Windows Media Audio is made.
  [
    'Windows Media Audio',
    (head) => [0x30, 0x26, 0xb2, 0x75, 0x8e, 0x66, 0xcf, 0x11].every((byte, at) => head[at] === byte),
  ],
  ['RealAudio', (_, text) => /^\.(RMF|ra\xfd)/.test(text)],
  ['DSD', (_, text) => text.startsWith('DSD ') || /^FRM8.{8}DSD /s.test(text)],
  ['AMR', (_, text) => text.startsWith('#!AMR')],
  ['VOC', (_, text) => text.startsWith('Creative Voice File')],
  ['8SVX', (_, text) => /^FORM.{4}8SVX/s.test(text)],
  ['Matroska audio', (head) => [0x1a, 0x45, 0xdf, 0xa3].every((byte, at) => head[at] === byte)],
  ['AC-3', (head) => head[0] === 0x0b && head[1] === 0x77],
  ['DTS', (head) => [0x7f, 0xfe, 0x80, 0x01].every((byte, at) => head[at] === byte)],
  // ADTS, ISO/IEC 13818-7 §6.2: twelve bits of sync, a layer of 00.
  ['AAC without a container', (head) => head[0] === 0xff && ((head[1] ?? 0) & 0xf6) === 0xf0],
];

/** What kind of audio that is not taken up a file's name ends as; undefined for everything else. */
export function otherAudioByName(name: string): string | undefined {
  return BY_EXTENSION[/\.[^./]+$/.exec(name)?.[0].toLowerCase() ?? ''];
}

/** What kind of audio that is not taken up begins so; undefined for everything else. */
export function otherAudioByContent(head: Uint8Array): string | undefined {
  const text = asciiOf(head.subarray(0, 32));
  return BY_CONTENT.find(([, matches]) => matches(head, text))?.[0];
}

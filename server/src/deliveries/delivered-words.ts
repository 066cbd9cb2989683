import type { SoundRow } from '@flagstone/contract/record';
import { tryOutInWords } from '@flagstone/core/audio/try-out/try-out';
import type { DeliveredForm } from '@flagstone/core/delivery/audio-form';
import type { NamedPart } from '../delivering/copy-out.ts';

/** What is made of a sound, in words, as “part of 2.4 s, 48 kHz 16-bit WAV, 1 channel”; empty where its file goes as it is. */
export function inWords(
  form: DeliveredForm,
  { part, tryOut }: Pick<NamedPart, 'part' | 'tryOut'>,
  { facts }: SoundRow,
  file: number,
): string {
  if (form.kind === 'same') return '';
  const { container, sampleRateHz, sampleFormat, bitDepth, files } = form;
  const depth =
    container === 'MP3' || container === 'Ogg' ? '' : `${bitDepth}-bit${sampleFormat === 'float' ? ' float' : ''} `;
  const channels = files[file]?.channels ?? 0;
  const tried = tryOutInWords(tryOut.filter(({ on }) => on));
  return [
    ...(part ? [`part of ${((part.to - part.from) / facts.sampleRateHz).toFixed(1)} s`] : []),
    ...(tried === '' ? [] : [`tried out: ${tried}`]),
    `${sampleRateHz / 1000} kHz ${depth}${container}`,
    channels === 1 ? 'mono' : channels === 2 ? 'stereo' : `${channels} channels`,
  ].join(', ');
}

import { DEPTH_WORDS } from '../ui/audio-words.ts';
import type { DeliveryProfile, Sidecar } from '@flagstone/core/delivery/profile';

/** What each of the choices of a profile is called. */
export const PACKING_WORDS = { folder: 'A folder', zip: 'One ZIP file', bag: 'A bag with checksums (BagIt)' } as const;
export const CHARACTER_WORDS = {
  any: 'All that file systems take',
  ascii: 'Of ASCII',
  portable: 'Letters, digits, . _ - only',
} as const;
export const CASE_WORDS = { asIs: 'As they are', lower: 'lower case', upper: 'UPPER CASE' } as const;
export const SPACE_WORDS = { kept: 'kept', underscores: 'as _', hyphens: 'as -' } as const;
export const SIDECAR_WORDS: Record<Sidecar, string> = {
  table: 'Table of the records',
  attribution: 'Attribution sheet',
  markers: 'Table of slices and sync points',
  report: 'Report to print',
};

/** What a profile makes, in a few short phrases. */
export function profileInWords({
  audio,
  folders,
  names,
  nameRules,
  withRecord,
  sidecars,
  packing,
  bagDigest,
}: DeliveryProfile): string[] {
  const { container, sampleRateHz, depth, channels, level } = audio;
  const made = [
    ...(container === 'asIs' ? [] : [container]),
    ...(sampleRateHz === null ? [] : [`${sampleRateHz / 1000} kHz`]),
    ...(depth === 'asIs' ? [] : [DEPTH_WORDS[depth]]),
    ...(channels === 'asIs' ? [] : [{ split: 'split to mono', stereo: 'stereo', mono: 'mono' }[channels]]),
    ...(level.kind === 'loudness' ? [`${level.lufs} LUFS, true peak at most ${level.ceilingDbtp} dBTP`] : []),
    ...(level.kind === 'peak' ? [`peak at ${level.dbfs} dBFS`] : []),
  ];
  const laid = { flat: 'side by side', asOnDrives: 'in the folders of the drives', template: '' }[folders.kind];
  const called = [
    ...(names.kind === 'template' ? [`named ${names.template}`] : []),
    ...(nameRules.characters === 'any' ? [] : [nameRules.characters === 'ascii' ? 'ASCII' : 'portable names']),
    ...(nameRules.letterCase === 'asIs' ? [] : [CASE_WORDS[nameRules.letterCase]]),
    ...(nameRules.spaces === 'kept' ? [] : [`spaces ${SPACE_WORDS[nameRules.spaces]}`]),
  ];
  return [
    made.length === 0 ? 'files as they are' : made.join(', '),
    folders.kind === 'template' ? `in ${folders.template}` : laid,
    ...(called.length === 0 ? [] : [called.join(', ')]),
    withRecord ? 'the record in each' : 'without records',
    ...(sidecars.length === 0 ? [] : [`with ${sidecars.map((each) => SIDECAR_WORDS[each].toLowerCase()).join(', ')}`]),
    packing === 'bag' ? `as a bag, SHA-${bagDigest.slice(3)}` : packing === 'zip' ? 'as one ZIP file' : 'as a folder',
  ];
}

import type { SoundRow } from '@flagstone/contract/record';
import type { OtherForm } from '@flagstone/contract/recordings';

const COMPARED: Record<OtherForm['quality'], string> = {
  better: 'in better quality',
  worse: 'worse',
  alike: 'as well',
};

/** How a recording is held already in another form, by a shape and a word. Empty where it is not known to be. */
export function heldInWords(heldAs: SoundRow['heldAs']): string {
  if (!heldAs) return '';
  return `≈ ${heldAs.isCertain ? 'Held already' : 'Probably held already'}, ${COMPARED[heldAs.quality]}`;
}

/** How another form compares with the one on show. */
export function formInWords({ quality, isCertain }: Pick<OtherForm, 'quality' | 'isCertain'>): string {
  const words = { better: '▲ better', worse: '▽ worse', alike: '= as good' }[quality];
  return isCertain ? words : `${words}, probably the same recording`;
}

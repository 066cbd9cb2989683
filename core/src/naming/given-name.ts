import { legalText, lengthProblem, splitExtension } from './name-blocks.ts';
import { isReserved } from './naming-pattern.ts';

/**
 * The name that somebody else gave a file, with the extension that the file has here; undefined for one that cannot be given as it is: empty, hidden, too long, the name of a
 * device, or with characters that lead elsewhere or that some file system refuses.
 */
export function legalName(given: string, current: string): string | undefined {
  const base = splitExtension(given).base.normalize('NFC');
  const name = `${base}${splitExtension(current).extension}`;
  const isLegal =
    base !== '' && !base.startsWith('.') && legalText(base) === base.replace(/ +/g, ' ') && !isReserved(name);
  return isLegal && !lengthProblem(name) ? name : undefined;
}

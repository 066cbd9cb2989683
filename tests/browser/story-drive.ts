import { mkdir, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';

/**
 * Makes the drive of the story (`story.test.ts`) in a folder: so many files of the demo, four of them with names that are nearly in UCS form, and a text that
 * bears the name of a sound.
 */
const [folder = '', count = '120'] = process.argv.slice(2);
/** Sounds are cut off: their length is nothing to the story. */
const SECONDS = 0.4;

/** Ways in which names in UCS form are slightly wrong. */
const SLIPS: ((name: string) => string)[] = [
  (name) => name.replace(/^[^_]+/, (catId) => catId.toLowerCase()),
  (name) => name.replace(/_/g, ' _ '),
  (name) => name.replace(/_[^_]+(\.wav)$/, '$1'),
  (name) => name.replace(/_/, '__'),
];

const all = demoCollection();
const inForm = all.filter(({ path: file }) => file.includes('Towpath Audio') && /\/(BIRDFowl|BOATHorn)_/.test(file));
const messy = all.filter(({ path: file }) => !file.includes('Towpath')).sort((a, b) => a.seconds - b.seconds);
const chosen = [...inForm.slice(0, SLIPS.length), ...messy].slice(0, Number(count));
for (const [at, sound] of chosen.entries()) {
  const slip = SLIPS[at];
  const [place, name] = [path.join(folder, path.dirname(sound.path)), path.basename(sound.path)];
  // Without its metadata a name is all that there is to go by.
  const short = { ...sound, seconds: Math.min(sound.seconds, SECONDS), ...(slip ? { tags: {} } : {}) };
  await mkdir(place, { recursive: true });
  await writeFile(path.join(place, slip?.(name) ?? name), demoFileBytes(short));
}
const [first] = messy;
if (first) await writeFile(path.join(folder, first.path.replace(/\.wav$/, '.txt')), 'worn pawl');

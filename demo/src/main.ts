import { makeCollection } from './make-collection.ts';

const folder = process.argv[2];
if (folder === undefined) {
  process.stderr.write('usage: main.ts FOLDER\n');
  process.exit(2);
}
const started = performance.now();
const written = await makeCollection(folder, (done, all) => {
  if (process.stdout.isTTY) process.stdout.write(`\r  making demo sounds ${done}/${all}`);
});
if (written > 0)
  process.stdout.write(`\r  made ${written} demo files in ${((performance.now() - started) / 1000).toFixed(1)} s\n`);

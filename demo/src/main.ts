import { makeCollection } from './make-collection.ts';
import { letAWeekPass } from './week-away.ts';

const [folder, what] = process.argv.slice(2);
if (folder === undefined || (what !== undefined && what !== 'week')) {
  process.stderr.write('usage: main.ts FOLDER [week]\n');
  process.exit(2);
}
await (what === 'week' ? week(folder) : make(folder));

async function make(folder: string): Promise<void> {
  const started = performance.now();
  const written = await makeCollection(folder, (done, all) => {
    if (process.stdout.isTTY) process.stdout.write(`\r  making demo sounds ${done}/${all}`);
  });
  if (written > 0)
    process.stdout.write(`\r  made ${written} demo files in ${((performance.now() - started) / 1000).toFixed(1)} s\n`);
}

async function week(folder: string): Promise<void> {
  const { retagged, removed, decayed } = await letAWeekPass(folder).catch((error: Error) => {
    process.stderr.write(`${error.message}\n`);
    process.exit(1);
  });
  process.stdout.write(
    `A week passed on the Narrowboat: ${retagged.length} files were described elsewhere, ${removed.length} are gone, and of one a bit flipped (${decayed.join()}).\n` +
      'Read the drive again in Intake, prove its files in Drift, and see what differs.\n',
  );
}

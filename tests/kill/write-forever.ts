import { readdir } from 'node:fs/promises';
import { windowedSource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { DriveFiles } from '@flagstone/server/disk/drive-files';
import { useJournalKeys } from '@flagstone/server/disk/journal-keys';
import { rewriteFile } from '@flagstone/server/disk/rewrite-file';
import { takeRecord } from './take.ts';

/** Writes one take after another into every file of a folder, in place and by copy in turn, until it is killed. Arguments: folder, first take. */
const [folder = '', first = '1'] = process.argv.slice(2);
// The key of the test, by which what this process leaves is known.
useJournalKeys(Buffer.alloc(32, 7));
const files = new DriveFiles(folder);
const names = (await readdir(folder)).filter((name) => !name.startsWith('.')).sort();
process.stdout.write('ready\n');
for (let take = Number(first); ; take += 1) {
  for (const name of names) {
    const prepared = await files.withSource('', name, async (source, stamp) => ({
      stamp,
      ...(await planWrite(windowedSource(source), takeRecord(take))),
    }));
    if (prepared.plan)
      await rewriteFile(files, '', name, prepared.stamp, prepared.plan, { alwaysCopy: take % 3 === 0 });
  }
}

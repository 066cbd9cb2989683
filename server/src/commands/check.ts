import { parseArgs } from 'node:util';
import { connect } from '../db/connect.ts';
import { checkConsistency } from '../records/consistency.ts';
import { say } from './backup.ts';
import { withOwnersDatabase } from './owners-database.ts';

const SAY_EVERY = 50_000;

/** `check`: whether the database says the same in all the places in which it says something twice; `--repair` makes anew what follows from other rows. Exit status 1 when something is not as it should be and was not mended. */
export async function check(args: string[]): Promise<number> {
  const { values } = parseArgs({
    args,
    options: {
      data: { type: 'string' },
      database: { type: 'string' },
      repair: { type: 'boolean', default: false },
    },
  });
  return withOwnersDatabase(values, async (address) => {
    const { db, close } = await connect(address);
    try {
      const findings = await checkConsistency(db, values.repair, (looked) => {
        if (looked % SAY_EVERY === 0) say(`${looked.toLocaleString('en')} sounds looked at`);
      });
      for (const { what, count, examples, remedy } of findings)
        process.stdout.write(
          `✕ ${count} ${what} (${examples.join(', ')}${count > examples.length ? ', …' : ''}): ${remedy}\n`,
        );
      if (findings.length === 0) process.stdout.write('✓ The database is as it should be.\n');
      return findings.every(({ remedy }) => remedy === 'mended') ? 0 : 1;
    } finally {
      await close();
    }
  });
}

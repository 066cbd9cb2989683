import { parseArgs } from 'node:util';
import { killWrites } from '../kill/kill-writes.ts';

/** `bench kill [--kills 1000] [--seed N]`: SIGKILL at random moments during writes; fails when a file is harmed or something stays behind. */
const { values } = parseArgs({
  options: { kills: { type: 'string', default: '1000' }, seed: { type: 'string', default: '1' } },
});
const { kills, torn, journals } = await killWrites(Number(values.kills), Number(values.seed));
process.stdout.write(
  `${kills} kills, ${torn} of them in the middle of a write, ${journals} of these in place: every file whole\n`,
);

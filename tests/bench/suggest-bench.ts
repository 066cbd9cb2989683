import { readFile } from 'node:fs/promises';
import { CategorySuggester } from '@flagstone/core/suggest/suggest-category';
import { wordNet } from '@flagstone/server/disk/word-net';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';

/** `bench suggest FILE.tsv`: how often the best, and one of the best three, suggestions is acceptable, against a file with columns Path, Best, Acceptable (names of categories, `;` between). */
const [file] = process.argv.slice(2);
if (file === undefined) {
  process.stderr.write('usage: flagstone bench suggest FILE.tsv\n');
  process.exit(2);
}
const lines = (await readFile(file, 'utf8')).trim().split('\n').slice(1);
const cases = lines
  .map((line) => line.split('\t'))
  .map(([path = '', , acceptable = '']) => ({ path, acceptable: acceptable.split(';') }));
const suggester = new CategorySuggester(builtInCategoryList(), wordNet());
const answers = cases.map(({ path }) => suggester.suggest(path).map((each) => `${each.category}/${each.subCategory}`));
// A batch is thousands of names: what counts is the pace once the code is warm.
const ROUNDS = Math.ceil(5000 / cases.length);
for (let round = 0; round < ROUNDS; round += 1) for (const { path } of cases) suggester.suggest(path);
const started = performance.now();
for (let round = 0; round < ROUNDS; round += 1) for (const { path } of cases) suggester.suggest(path);
const seconds = (performance.now() - started) / 1000;
const share = (best: number): string => {
  const hits = cases.filter(({ acceptable }, index) =>
    answers[index]?.slice(0, best).some((answer) => acceptable.includes(answer)),
  );
  return `${((100 * hits.length) / cases.length).toFixed(1)} %`;
};
const confusion = new Map<string, number>();
cases.forEach(({ acceptable }, index) => {
  const [wanted = ''] = (acceptable[0] ?? '').split('/');
  const [given = 'nothing'] = (answers[index]?.[0] ?? '').split('/');
  if (!acceptable.includes(answers[index]?.[0] ?? ''))
    confusion.set(
      `${wanted} taken for ${given || 'nothing'}`,
      (confusion.get(`${wanted} taken for ${given || 'nothing'}`) ?? 0) + 1,
    );
});
process.stdout.write(
  `names: ${cases.length}\nbest acceptable: ${share(1)} (a plain word-rarity scorer: 66 %)\none of the best three: ${share(3)} (plain: 85 %)\nnames per second on one core: ${Math.round((ROUNDS * cases.length) / seconds)}\n`,
);
for (const [pair, count] of [...confusion].sort((a, b) => b[1] - a[1]).slice(0, 15))
  process.stdout.write(`  ${count}  ${pair}\n`);

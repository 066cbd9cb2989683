import { mkdir, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { build } from 'esbuild';

/**
 * Bundles Flagstone's own programs into server/dist: the command, and whatever runs in a thread or a process of its own. As TypeScript, loaded file by file, each start of a
 * process took 3.6 s of processor time and each thread 0.3 s. Packages stay where npm put them.
 */
const PROJECT = path.resolve(import.meta.dirname, '..');
const DIST = path.join(import.meta.dirname, 'dist');
/** What no bundle of the last week refers to is removed; a server that still runs may load parts of the bundle it was started from. */
const KEPT_MS = 7 * 24 * 3600 * 1000;
const WORKERS = path.join(PROJECT, 'server/src/workers');
const PROGRAMS = {
  main: path.join(PROJECT, 'server/src/main.ts'),
  'make-demo': path.join(PROJECT, 'demo/src/main.ts'),
};
for (const name of await readdir(WORKERS))
  if (/-(worker|child)\.ts$/.test(name)) PROGRAMS[path.basename(name, '.ts')] = path.join(WORKERS, name);

/** Finds the rooms of the house, which packages are not. */
const ownPackages = {
  name: 'own packages',
  setup: ({ onResolve }) =>
    onResolve({ filter: /^@flagstone\// }, ({ path: asked }) => {
      const [, room, ...rest] = asked.split('/');
      return { path: path.join(PROJECT, room, 'src', `${rest.join('/')}.ts`) };
    }),
};

/** Files that a source finds beside itself (migrations, pages, packages) it finds from the bundle too. */
const ownAddresses = {
  name: 'own addresses',
  setup: ({ onLoad }) =>
    onLoad({ filter: /\.ts$/ }, async ({ path: source }) => {
      const text = await readFile(source, 'utf8');
      const from = path.relative(DIST, source).split(path.sep).join('/');
      const contents = text.replaceAll('import.meta.url', `new URL(${JSON.stringify(from)}, import.meta.url).href`);
      return { contents, loader: 'ts' };
    }),
};

const { outputFiles } = await build({
  absWorkingDir: PROJECT,
  entryPoints: PROGRAMS,
  outdir: DIST,
  entryNames: '[name]',
  chunkNames: 'part-[hash]',
  plugins: [ownPackages, ownAddresses],
  bundle: true,
  splitting: true,
  packages: 'external',
  platform: 'node',
  format: 'esm',
  target: 'node20',
  // Stack traces name the functions and files of the sources.
  sourcemap: 'linked',
  sourcesContent: false,
  write: false,
  logLevel: 'warning',
});

await mkdir(DIST, { recursive: true });
// Whole files only, and parts before the programs that name them: another process may start meanwhile.
const isPart = (file) => path.basename(file).startsWith('part-');
for (const { path: file, contents } of outputFiles.sort((a, b) => Number(isPart(b.path)) - Number(isPart(a.path)))) {
  const unfinished = `${file}.${process.pid}`;
  await writeFile(unfinished, contents);
  await rename(unfinished, file);
}
const built = new Set(outputFiles.map(({ path: file }) => path.basename(file)));
for (const name of await readdir(DIST)) {
  const file = path.join(DIST, name);
  const found = built.has(name) ? undefined : await stat(file).catch(() => undefined);
  if (found && Date.now() - found.mtimeMs > KEPT_MS) await rm(file, { force: true });
}

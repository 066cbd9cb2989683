import { readFile, writeFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';

/**
 * `npm run lock`, after packages were added or updated: a registry that serves only this platform's binaries leaves those of other platforms out of
 * package-lock.json, and `npm ci` then refuses the file. Adds them as optional packages of their platform, with the versions that their parents name.
 */
interface LockedPackage {
  version?: string;
  optional?: boolean;
  os?: string[];
  cpu?: string[];
  optionalDependencies?: Record<string, string>;
}

const OSES = ['darwin', 'win32', 'linux', 'freebsd', 'android', 'openharmony', 'aix', 'netbsd', 'openbsd', 'sunos'];
const CPUS = ['arm64', 'x64', 'ia32', 'arm', 'ppc64', 's390x', 'riscv64', 'loong64', 'mips64el', 'wasm32'];

const file = fileURLToPath(new URL('../package-lock.json', import.meta.url));
const lock = JSON.parse(await readFile(file, 'utf8')) as { packages: Record<string, LockedPackage> };
let added = 0;
for (const parent of Object.values(lock.packages)) {
  for (const [name, version] of Object.entries(parent.optionalDependencies ?? {})) {
    const place = `node_modules/${name}`;
    const os = OSES.find((each) => name.includes(each));
    const cpu = CPUS.find((each) => name.includes(each));
    if (lock.packages[place] || !/^\d/.test(version) || os === undefined) continue;
    lock.packages[place] = { version, ...(cpu ? { cpu: [cpu] } : {}), optional: true, os: [os] };
    added += 1;
  }
}
lock.packages = Object.fromEntries(Object.entries(lock.packages).sort(([a], [b]) => (a < b ? -1 : 1)));
await writeFile(file, `${JSON.stringify(lock, null, 2)}\n`);
process.stdout.write(`added ${added} packages of other platforms\n`);

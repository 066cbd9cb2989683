import { createHash } from 'node:crypto';
import { readdir, readFile, stat } from 'node:fs/promises';
import path from 'node:path';

/**
 * What is wrong with a bag, by a reader of its own that was written from RFC 8493 and shares nothing with what makes bags: whether it is complete (§3) and every digest that a manifest names is that of
 * its file.
 */
export async function bagFaults(bag: string): Promise<string[]> {
  const faults: string[] = [];
  const declaration = await readFile(path.join(bag, 'bagit.txt'), 'utf8');
  // §2.1.1: exactly two lines, no byte order mark.
  if (!/^BagIt-Version: 1\.0\r?\nTag-File-Character-Encoding: UTF-8\r?\n?$/.test(declaration))
    faults.push('bagit.txt is not as it must be');
  const names = await readdir(bag);
  const manifests = names.filter((name) => /^manifest-\w+\.txt$/.test(name));
  if (manifests.length === 0) faults.push('there is no payload manifest');
  const payload = (await readdir(path.join(bag, 'data'), { recursive: true, withFileTypes: true }))
    .filter((entry) => !entry.isDirectory())
    .map((entry) => path.relative(bag, path.join(entry.parentPath, entry.name)).split(path.sep).join('/'));
  for (const manifest of manifests) {
    const listed = await checkManifest(bag, manifest, faults);
    // §2.1.3: every payload file is listed in every manifest, exactly once.
    for (const file of payload) if (!listed.includes(file)) faults.push(`${manifest} does not list ${file}`);
    if (listed.some((file) => !file.startsWith('data/'))) faults.push(`${manifest} lists what is no payload`);
  }
  for (const manifest of names.filter((name) => /^tagmanifest-\w+\.txt$/.test(name))) {
    const listed = await checkManifest(bag, manifest, faults);
    for (const name of ['bagit.txt', ...manifests])
      if (!listed.includes(name)) faults.push(`${manifest} does not list ${name}`);
  }
  if (names.includes('bag-info.txt')) {
    const oxum = /^Payload-Oxum: (\d+)\.(\d+)$/m.exec(await readFile(path.join(bag, 'bag-info.txt'), 'utf8'));
    const sizes = await Promise.all(payload.map(async (file) => (await stat(path.join(bag, file))).size));
    const found = `${sizes.reduce((sum, size) => sum + size, 0)}.${payload.length}`;
    if (oxum && `${oxum[1]}.${oxum[2]}` !== found) faults.push(`Payload-Oxum is ${oxum[1]}.${oxum[2]}, not ${found}`);
  }
  return faults;
}

async function checkManifest(bag: string, manifest: string, faults: string[]): Promise<string[]> {
  const algorithm = /manifest-(\w+)\.txt/.exec(manifest)?.[1] ?? '';
  const listed: string[] = [];
  for (const line of (await readFile(path.join(bag, manifest), 'utf8')).split(/\r\n|\r|\n/)) {
    if (line === '') continue;
    const gap = line.search(/\s/);
    const digest = line.slice(0, gap).toLowerCase();
    const file = decode(line.slice(gap).replace(/^\s+\*?/, ''));
    if (listed.includes(file)) faults.push(`${manifest} lists ${file} twice`);
    listed.push(file);
    const bytes = await readFile(path.join(bag, file)).catch(() => undefined);
    if (!bytes) faults.push(`${file} is missing`);
    else if (createHash(algorithm).update(bytes).digest('hex') !== digest)
      faults.push(`${file} is another than ${manifest} says`);
  }
  return listed;
}

/** §2.1.3: CR, LF and the percent sign are percent-encoded. */
function decode(file: string): string {
  return file.replace(/%0A/gi, '\n').replace(/%0D/gi, '\r').replace(/%25/g, '%');
}

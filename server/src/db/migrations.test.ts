import { createHash } from 'node:crypto';
import { readdir, readFile } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, it } from '@jest/globals';

const FOLDER = fileURLToPath(new URL('../../migrations', import.meta.url));

/** SHA-256 of every migration that landed: data folders have run it, so it is never edited. A new one is added here when it lands. */
const LANDED: Record<string, string> = {
  '0000_lay-out-the-tables.sql': '4db9da7b54465236a6998bbef35ef7e05d860fae1414d2a4d37d88aeb7bc3fad',
  '0001_keep-tickets-of-copies-out.sql': '3dccd48d2f53611e7711853f11cd2befba9fb31e977c9c3eea7172650efd7402',
  '0006_presence.sql': '787e6f1b6680831951265fa53aa10db7df5dfed5e92dc0b9f1c118ece26d0b26',
  '0005_count-categories-by-collection.sql': '2d6ef9b1bd78393c97f8110bb58c550bcdd35b44e83b5ca251e44c3053e831af',
  '0004_transactions.sql': '0cfdc959189358131265471adb41dca9a023a48bcb0aee4f8b8f7e16c5018783',
  '0003_roles.sql': '03650ac8eeb9df6d60a8074913a11b690f77698fce5378f5a347b0476b9bbc60',
  '0002_sign-in.sql': 'e8713218c6850369973dfc0277746987c58d7119b7e9d7b149fc01e9a0e9177f',
};

it('keeps every migration as it landed', async () => {
  const files = (await readdir(FOLDER)).filter((name) => name.endsWith('.sql'));
  const digests = await Promise.all(
    files.map(async (name): Promise<[string, string]> => {
      const text = await readFile(path.join(FOLDER, name));
      return [name, createHash('sha256').update(text).digest('hex')];
    }),
  );
  expect(Object.fromEntries(digests)).toEqual(LANDED);
});

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
  '0002_sign-in.sql': 'e8713218c6850369973dfc0277746987c58d7119b7e9d7b149fc01e9a0e9177f',
  '0003_roles.sql': 'd6929dd591e3a724e62d949d72d0dff2978cf55d6946b6e237a398699ac34f58',
  '0004_review.sql': '75951a259e7224198901bfe876e0b53fae1d59006d4834690ca92adbe53775a0',
  '0005_remarks.sql': 'e7b47b4daa45c7e16eb91acbc877503cf4109ffb2a93e777aab3c084a4d3d40c',
  '0006_drift.sql': '0304be715cf33096b02740a985d65732e8fd711b5c0ca009f03d8b2eb7bd13d1',
  '0007_settling-rules.sql': '6f50c49bf643f87eb0ee28665be5ecabbafe92cc2c0137fbf4873c4d53255789',
  '0008_change-sheets.sql': '8ae54f363e3e66e230129fab6ff3e3c9276c56835c15f60d1f3443886e842f99',
  '0009_proof.sql': '5160dbfa8ece4894beb27364f8a31cd1b4ee7dc9e0ca7628bcc6f39413ab9bed',
  '0010_fingerprints.sql': '317e3202d42731d0b654d8c6770715a06506cec36e4db295df599c126c65b8e5',
  '0011_other-texts.sql': '78ff284c9c0101974e72bebac551657ba65236109b2fe40bdb00b4a6e147217c',
  '0012_two-houses.sql': 'eef5702908c6ef8771179bb794d2b79f00430eddbd66d3c5cfc24ec28b5f25fd',
  '0013_pull-notes.sql': '5951601ee33ea9e02bbfa096527dbae20b0411ffd5e3e56b3e2f615960691519',
  '0014_deliveries.sql': '606c7000fb4f7f2d74bc0a1aad4df331a16307b5610acc18672112fce0cf6aa7',
  '0015_arrivals.sql': '38d64c7ac2ee7b58b991981a4c2a679682b138eedc1012bb34cc370620c7d479',
  '0016_cleared_away.sql': 'c98c73017d93162ca17d61dbff4723a3c669054304c329861919cb2dc130531e',
  '0017_backup_schedule.sql': 'dc1f48d4bc1467b14a03dc6de9585fc2263d68fad3fa3ac3584bd40fba13f7d7',
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

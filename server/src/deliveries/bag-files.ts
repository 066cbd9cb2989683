import path from 'node:path';
import { BAG_DECLARATION, bagInfo, manifestLine, payloadOxum } from '@flagstone/core/delivery/bag';
import { createHash } from 'node:crypto';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { people } from '../db/schema.ts';
import { fileDigest } from '../disk/keep-file.ts';
import { filesBelow, sizesIn } from '../disk/standing-files.ts';
import { VERSION } from '../version.ts';
import { algorithmOf } from './besides.ts';
import { PAYLOAD } from './delivery-place.ts';
import type { DeliveryRow } from '../db/deliveries-schema.ts';

const PAGE = 1000;
const HEX_LENGTH = { sha256: 64, sha512: 128 };

interface Bag {
  /** The folder of its files. */
  payload: string;
  /** The digest of a file that goes beside the sounds; undefined for none. */
  besides: (name: string) => string | undefined;
}

/**
 * The texts that make a folder a bag: its declaration, what it is, and manifests of all files that stand in it, those of earlier deliveries too. What is none of ours is named as foreign: a bag with it
 * is not valid, and nothing of it is removed.
 */
export async function bagFiles(
  app: AppContext,
  delivery: DeliveryRow,
  { payload, besides }: Bag,
): Promise<{ files: { name: string; bytes: Uint8Array }[]; foreign: string[] }> {
  const algorithm = algorithmOf(delivery.profile);
  const digests = await deliveredDigests(app, delivery.id);
  const lines: { path: string; digest: string; bytes: number }[] = [];
  const foreign: string[] = [];
  for await (const below of filesBelow(payload)) {
    const known = digests.get(below) ?? besides(below);
    if (known === undefined) {
      foreign.push(`${PAYLOAD}/${below}`);
      continue;
    }
    const digest =
      known.length === HEX_LENGTH[algorithm] ? known : await fileDigest(path.join(payload, below), algorithm);
    const [bytes] = await sizesIn(payload, [below]);
    lines.push({ path: `${PAYLOAD}/${below}`, digest, bytes: bytes ?? 0 });
  }
  lines.sort((a, b) => (a.path < b.path ? -1 : 1));
  const [maker] = await app.db.select({ name: people.name }).from(people).where(eq(people.id, delivery.personId));
  const { rows } = await app.db.execute<{ name: string; today: string }>(
    sql`select coalesce((select house_name from installation limit 1), '') as name, to_char(now(), 'YYYY-MM-DD') as today`,
  );
  const text = (name: string, content: string) => ({ name, bytes: new TextEncoder().encode(content) });
  const tags = [
    text('bagit.txt', BAG_DECLARATION),
    text(
      'bag-info.txt',
      bagInfo({
        'Source-Organization': rows[0]?.name ?? '',
        'Contact-Name': maker?.name ?? '',
        'External-Description': delivery.forWhom === '' ? delivery.name : `${delivery.name}, for ${delivery.forWhom}`,
        'External-Identifier': `delivery ${delivery.id}`,
        'Bagging-Date': rows[0]?.today ?? '',
        'Payload-Oxum': payloadOxum(
          lines.reduce((sum, { bytes }) => sum + bytes, 0),
          lines.length,
        ),
        'Bag-Software-Agent': `Flagstone ${VERSION}`,
      }),
    ),
    text(`manifest-${algorithm}.txt`, lines.map(({ digest, path: below }) => manifestLine(digest, below)).join('')),
  ];
  const tagLines = tags.map(({ name, bytes }) => manifestLine(createHash(algorithm).update(bytes).digest('hex'), name));
  return { files: [...tags, text(`tagmanifest-${algorithm}.txt`, tagLines.join(''))], foreign };
}

/** The digests of all files that were ever delivered, by their paths. */
async function deliveredDigests(app: AppContext, id: number): Promise<Map<string, string>> {
  const digests = new Map<string, string>();
  for (let after = ''; ;) {
    const { rows } = await app.db.execute<{ path: string; digest: string }>(sql`
      select path, digest from delivery_items where delivery_id = ${id} and digest <> '' and path > ${after} order by path limit ${PAGE}`);
    for (const { path: below, digest } of rows) digests.set(below, digest);
    const last = rows.at(-1);
    if (!last || rows.length < PAGE) return digests;
    after = last.path;
  }
}

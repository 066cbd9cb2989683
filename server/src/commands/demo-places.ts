import { mkdir } from 'node:fs/promises';
import path from 'node:path';
import { asc } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { findPlaces, setPlaces } from '../arrivals/collection-places.ts';
import { collections } from '../db/schema.ts';

/** The drive of the demo on which its collection has its landing folder and its shelf. */
const DRIVE = 'Kiln Shelf';

/** Gives the demo's collection its places at the first start; whoever takes them away has none. */
export async function giveDemoPlaces(app: AppContext, drives: string, personId: number): Promise<void> {
  const [landingPath, shelfPath] = [path.join(drives, DRIVE, 'Landing'), path.join(drives, DRIVE, 'Shelf')];
  const isFirst = await mkdir(landingPath).then(
    () => true,
    (error: NodeJS.ErrnoException) => {
      if (error.code === 'EEXIST') return false;
      throw error;
    },
  );
  const [first] = await app.db.select({ id: collections.id }).from(collections).orderBy(asc(collections.id)).limit(1);
  if (!isFirst || !first) return;
  await mkdir(shelfPath, { recursive: true });
  const places = await findPlaces(app, { landingPath, shelfPath, shelfTemplate: undefined });
  await setPlaces(app, first.id, places, personId, 'all');
}

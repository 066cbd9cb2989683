import { folderAfter } from '@flagstone/core/naming/folder-pattern';
import { AppError } from '@flagstone/core/errors';
import type { CollectionPlaces } from '@flagstone/contract/collections';
import { eq } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { collections, drives } from '../db/schema.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import { driveFolderOf, driveIsHere, filesOf, type DriveFolder } from '../drives/drives.ts';
import { rememberFolder } from '../intake/read-folders.ts';
import type { Sight } from '../rights/rights.ts';

/** A folder of a collection, and the files of its drive. */
export interface CollectionPlace extends DriveFolder {
  files: DriveFiles;
}

/** A place that is to be kept: undefined for what stays as it is, null for what is not set any more. */
type WantedPlace = DriveFolder | null | undefined;

/**
 * Finds the places that somebody names for a collection, on the disks, before anything of the database is held: a drive may take its time. Throws FOLDER_READ_ONLY, PATTERN_INVALID, and what
 * AllowedRoots.checkedFolder throws.
 */
export async function findPlaces(app: AppContext, { landingPath, shelfPath, shelfTemplate }: CollectionPlaces) {
  if (shelfTemplate !== undefined) folderAfter(shelfTemplate, {});
  return { landing: await findPlace(app, landingPath), shelf: await findPlace(app, shelfPath), shelfTemplate };
}

async function findPlace(app: AppContext, given: string | null | undefined): Promise<WantedPlace> {
  if (given === undefined || given === null) return given;
  const place = await driveFolderOf(app, await app.roots.checkedFolder(given));
  if (!(await filesOf(app, place.drive).isWritable(place.folder)))
    throw new AppError('FOLDER_READ_ONLY', `${given} cannot be written to.`);
  return place;
}

/** Sets where what is handed over to a collection is put, and where its files are laid out; each becomes a folder of the collection. Throws CONFLICT for one that is of another collection. */
export async function setPlaces(
  app: AppContext,
  id: number,
  { landing, shelf, shelfTemplate }: Awaited<ReturnType<typeof findPlaces>>,
  personId: number,
  sight: Sight,
): Promise<void> {
  for (const place of [landing, shelf])
    if (place) {
      const { collectionId } = await rememberFolder(app, place, personId, sight, id);
      if (collectionId !== id) throw new AppError('CONFLICT', `${place.folder} belongs to another collection already.`);
    }
  const set = {
    ...(landing === undefined
      ? {}
      : { landingDriveId: landing?.drive.id ?? null, landingFolder: landing?.folder ?? '' }),
    ...(shelf === undefined ? {} : { shelfDriveId: shelf?.drive.id ?? null, shelfFolder: shelf?.folder ?? '' }),
    ...(shelfTemplate === undefined ? {} : { shelfTemplate }),
  };
  if (Object.keys(set).length > 0) await app.db.update(collections).set(set).where(eq(collections.id, id));
}

/** Where a collection keeps what lands, or what is laid out. Throws PLACE_UNKNOWN where nobody chose it, PATH_NOT_FOUND while its drive is away. */
export async function placeOfCollection(
  app: AppContext,
  id: number,
  which: 'landing' | 'shelf',
): Promise<CollectionPlace & { collection: typeof collections.$inferSelect }> {
  const driveId = which === 'landing' ? collections.landingDriveId : collections.shelfDriveId;
  const [row] = await app.db
    .select()
    .from(collections)
    .leftJoin(drives, eq(drives.id, driveId))
    .where(eq(collections.id, id));
  if (!row) throw new AppError('NOT_FOUND', 'There is no such collection.');
  const { collections: collection, drives: drive } = row;
  if (!drive) {
    const what =
      which === 'landing'
        ? 'no folder in which files that are handed over land'
        : 'no shelf on which its files are laid out';
    throw new AppError('PLACE_UNKNOWN', `The collection “${collection.name}” has ${what}.`);
  }
  const files = filesOf(app, drive);
  if (!(await driveIsHere(drive)))
    throw new AppError('PATH_NOT_FOUND', `The drive “${drive.name}” is not mounted at ${drive.rootPath}.`);
  const folder = which === 'landing' ? collection.landingFolder : collection.shelfFolder;
  return { drive, folder, files, collection };
}

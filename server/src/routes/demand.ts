import { AppError } from '@flagstone/core/errors';
import type { RoleNeeded, Subject } from '@flagstone/contract/endpoint';
import type { CopyOut } from '@flagstone/contract/copy-out';
import type { Role } from '@flagstone/contract/roles';
import type { Selection } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { allOf, idList, isBelow } from '../db/sql-parts.ts';
import { jobs } from '../db/schema.ts';
import type { Asker } from '../people/asker.ts';
import { selectionParts } from '../records/sound-rows.ts';
import { sightAs, sightOf, type Sight } from '../rights/rights.ts';
import { collectionIsSeen, copyIsSeen, jobIsSeen, pullListIsSeen, soundIsSeen } from '../rights/seen.ts';

/** What a request names, parsed by the contract. */
export interface AskedOf {
  params: unknown;
  query: unknown;
  body: unknown;
}

interface Looking {
  /** The collections that whoever asks sees, and those in which they have the role that is needed. */
  seen: Sight;
  may: Sight;
  personId: number;
}

/** Of what a request names: how much of it is seen, and how much of that is in no collection with the role that is needed. */
interface Found extends Record<string, unknown> {
  seen: number;
  lacking: number;
}

/** How to look at what a request names; undefined for what the handler finds out by the collections that it is given. */
type Look = (asked: AskedOf, looking: Looking) => SQL | undefined;

const idOf = ({ params }: AskedOf): number => (params as { id: number }).id;
const bodyOf = <Body>({ body }: AskedOf): Body => body as Body;

/** Things that are seen (their column `seen`) and may be worked with (`may`). */
const counted = (things: SQL): SQL => sql`
  select count(*) filter (where seen)::int as seen, count(*) filter (where seen and not may)::int as lacking from (${things}) t`;

/** The same for what is done as a whole: what of it is not seen is lacking too. */
const countedWhole = (things: SQL): SQL => sql`
  select count(*) filter (where seen)::int as seen, count(*) filter (where not may)::int as lacking from (${things}) t`;

/** One thing that belongs to one collection. */
const ofCollection = (things: SQL, collectionId: SQL, { seen, may }: Looking): SQL =>
  counted(sql`
    select ${collectionIsSeen(seen, collectionId)} as seen, ${collectionIsSeen(may, collectionId)} as may from ${things}`);

/** Files, by copies `c`: each is its own collection's. */
const ofFiles = (copies: SQL, { seen, may }: Looking, count = counted): SQL =>
  count(sql`select ${copyIsSeen(seen)} as seen, ${copyIsSeen(may)} as may from ${copies}`);

/** Sounds, by copies `c` or whatever else names them: one of the collections that hold it is enough. */
const ofSounds = (things: SQL, soundId: SQL, { seen, may }: Looking, count = counted): SQL =>
  count(sql`select ${soundIsSeen(seen, soundId)} as seen, ${soundIsSeen(may, soundId)} as may from ${things}`);

function ofSelection(selection: Selection, looking: Looking, by: (copies: SQL, looking: Looking) => SQL): SQL {
  const { tables, conditions } = selectionParts({ ...selection, seenBy: looking.seen });
  return by(sql`${tables} where ${allOf(conditions)}`, looking);
}

const soundsOfCopies = (copies: SQL, looking: Looking): SQL => ofSounds(copies, sql`c.sound_id`, looking);
const copiesBy = (ids: readonly number[]): SQL => sql`copies c where c.id = any(${idList(ids)})`;
const listBy = (id: number, { seen, personId }: Looking): SQL =>
  counted(sql`select ${pullListIsSeen(seen, personId)} as seen, true as may from pull_lists l where l.id = ${id}`);

/** For each subject of the contract, how it is found out which collections it belongs to. */
const LOOKS: Record<Exclude<Subject, 'copyOut'>, Look> = {
  anything: () => undefined,
  everything: (_, { may }) =>
    sql`select 1 as seen, count(*)::int as lacking from collections o where o.retired_at is null and not ${collectionIsSeen(may, sql`o.id`)}`,
  collection: (asked, looking) => ofCollection(sql`collections o where o.id = ${idOf(asked)}`, sql`o.id`, looking),
  readFolder: (asked, looking) =>
    ofCollection(sql`folders w where w.id = ${idOf(asked)}`, sql`w.collection_id`, looking),
  folder: (asked, looking) => {
    const { collectionId } = bodyOf<{ collectionId?: number }>(asked);
    return collectionId === undefined
      ? undefined
      : ofCollection(sql`collections o where o.id = ${collectionId}`, sql`o.id`, looking);
  },
  place: (asked, looking) => {
    const { driveId, folder } = bodyOf<{ driveId: string; folder: string }>(asked);
    const below = isBelow(sql`c.folder`, folder.replace(/^\/+|\/+$/g, ''));
    return ofFiles(
      sql`copies c where c.drive_id = ${driveId} and c.cleared_at is null and ${below}`,
      looking,
      countedWhole,
    );
  },
  batch: (asked, looking) =>
    ofCollection(
      sql`batches b join folders w on w.id = b.folder_id where b.id = ${idOf(asked)}`,
      sql`w.collection_id`,
      looking,
    ),
  arrival: (asked, looking) => ofCollection(sql`arrivals a where a.id = ${idOf(asked)}`, sql`a.collection_id`, looking),
  sound: (asked, looking) => ofSounds(sql`sounds s where s.id = ${idOf(asked)}`, sql`s.id`, looking),
  copy: (asked, looking) => ofFiles(copiesBy([idOf(asked)]), looking),
  copies: (asked, looking) => soundsOfCopies(copiesBy(bodyOf<{ copyIds: number[] }>(asked).copyIds), looking),
  rows: (asked, looking) =>
    soundsOfCopies(copiesBy(bodyOf<{ edits: { copyId: number }[] }>(asked).edits.map(({ copyId }) => copyId)), looking),
  selection: (asked, looking) => ofSelection(selectionIn(asked), looking, soundsOfCopies),
  files: (asked, looking) => ofSelection(selectionIn(asked), looking, ofFiles),
  plan: (asked, looking) =>
    ofFiles(sql`journal j join copies c on c.id = j.copy_id where j.plan_id = ${idOf(asked)}`, looking, countedWhole),
  change: (asked, looking) =>
    ofSounds(sql`record_revisions v where v.change_id = ${idOf(asked)}`, sql`v.sound_id`, looking, countedWhole),
  proposals: (asked, looking) =>
    ofSounds(
      sql`proposals p where p.id = any(${idList(bodyOf<{ ids: number[] }>(asked).ids)})`,
      sql`p.sound_id`,
      looking,
    ),
  job: (asked, { seen, may, personId }) => {
    const { id } = asked.params as { id: string };
    return counted(
      sql`select ${jobIsSeen(seen, personId)} as seen, ${jobIsSeen(may, personId)} as may from jobs where ${jobs.id} = ${id}`,
    );
  },
  pullList: (asked, looking) => listBy(idOf(asked), looking),
  pullEntry: (asked, { seen, personId }) =>
    counted(sql`
      select ${pullListIsSeen(seen, personId)} and ${soundIsSeen(seen, sql`e.sound_id`)} as seen, true as may
      from pull_entries e join pull_lists l on l.id = e.list_id where e.id = ${idOf(asked)}`),
};

/** A form names its selection within a request. */
function selectionIn(asked: AskedOf): Selection {
  const body = bodyOf<{ selection?: Selection; request?: { selection: Selection } }>(asked);
  const selection = body.selection ?? body.request?.selection;
  if (!selection) throw new Error('an endpoint that needs a role in a selection has none');
  return selection;
}

/** What is chosen from what is seen: whoever has the role wherever they see something lacks it in none of it. */
const CHOSEN: readonly Subject[] = ['copies', 'rows', 'selection', 'files'];
/** Subjects of which there are many, so that none is no fault of the address. */
const MANY: readonly Subject[] = [...CHOSEN, 'proposals', 'place', 'anything', 'everything'];
/** What subjects are called in a sentence, where that is not their own name. */
const NAMES: Partial<Record<Subject, string>> = {
  folder: 'collection',
  readFolder: 'folder',
  pullList: 'pull list',
  pullEntry: 'entry',
};

/**
 * Refuses what whoever asks may not do, for every endpoint that needs a role: here alone it is decided. Throws NOT_FOUND for what they do not see, as if it were not
 * there, and NOT_ALLOWED for what they see and have no such role in.
 */
export async function demand(
  app: Pick<AppContext, 'db'>,
  { rights, personId }: Pick<Asker, 'rights' | 'personId'>,
  { role, of: subject }: RoleNeeded,
  request: AskedOf,
): Promise<void> {
  if (rights.isAdministrator) return;
  const { of, asked } = subject === 'copyOut' ? whatIsCopied(request) : { of: subject, asked: request };
  const [seen, may] = [sightOf(rights), sightAs(rights, role)];
  if (may.length === 0 && of !== 'job') throw notAllowed(role, 'in no collection here');
  if (CHOSEN.includes(of) && may.length === seen.length) return;
  const look = LOOKS[of](asked, { seen, may, personId });
  if (!look) return;
  const { rows } = await app.db.execute<Found>(look);
  const { seen: found = 0, lacking = 0 } = rows[0] ?? {};
  if (found === 0 && !MANY.includes(of)) throw notFound(of, asked);
  if (lacking > 0) throw notAllowed(role, of === 'everything' ? 'not in every collection' : whereNot(found, lacking));
}

/** What is copied out is a pull list, or sounds that were chosen. */
function whatIsCopied(asked: AskedOf): { of: 'pullList' | 'selection'; asked: AskedOf } {
  const { what } = bodyOf<CopyOut>(asked);
  return what.kind === 'list'
    ? { of: 'pullList', asked: { ...asked, params: { id: what.listId } } }
    : { of: 'selection', asked: { ...asked, body: { selection: what.selection } } };
}

function whereNot(found: number, lacking: number): string {
  return found === 1 ? 'not here' : `not of ${lacking.toLocaleString('en')} of these ${found.toLocaleString('en')}`;
}

function notAllowed(role: Role, where: string): AppError {
  const [article, ours] = [role === 'listener' || role === 'librarian' ? 'a' : 'an', role];
  return new AppError('NOT_ALLOWED', `This needs ${article} ${ours}, which you are ${where}.`, { details: { role } });
}

function notFound(of: Subject, asked: AskedOf): AppError {
  const { id } = { id: '', ...(asked.params as { id?: number | string } | undefined) };
  return new AppError('NOT_FOUND', `There is no ${NAMES[of] ?? of} ${id}`.trimEnd() + '.');
}

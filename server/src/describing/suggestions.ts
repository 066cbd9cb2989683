import { wordsToLearn } from '@flagstone/core/suggest/learned';
import type { Suggestion } from '@flagstone/core/suggest/suggest-category';
import {
  NEIGHBOUR_FIELDS,
  suggestRecord,
  type SuggestedField,
  type SuggestionSources,
} from '@flagstone/core/suggest/suggest-record';
import { fieldLabel } from '@flagstone/core/record/fields';
import type { ChangeResult } from '@flagstone/contract/changes';
import type { SoundRow } from '@flagstone/contract/record';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { analyses } from '../db/schema.ts';
import { sql } from 'drizzle-orm';
import { editRowByRow } from '../records/edits.ts';
import { learnedOf } from '../records/learning.ts';
import { idList } from '../db/sql-parts.ts';
import { FIELD_COLUMNS, selectedRows } from '../records/sound-rows.ts';

/** What the record of a row says that a category may follow from. */
function toldBy(row: SoundRow): string {
  const { catId, category, subCategory, fxName, keywords, description } = row.record;
  // A Category without a CatID is one of another scheme; a description speaks where nothing shorter does.
  return [...(catId === '' ? [category, subCategory] : []), fxName, keywords.join(' ')]
    .filter((text) => text !== '')
    .concat(fxName === '' && keywords.length === 0 ? [description] : [])
    .join(' ')
    .trim();
}

/** Suggests categories for rows by their words and by what their collections have learned of them. */
async function suggesterFor(app: AppContext, rows: readonly SoundRow[]): Promise<(row: SoundRow) => Suggestion[]> {
  const { rows: belonging } = await app.db.execute<{ id: number; collection_id: number }>(sql`
    select c.id, f.collection_id from copies c join folders f on f.id = c.read_folder_id
    where c.id = any(${idList(rows.map(({ copyId }) => copyId))})`);
  const collectionOf = new Map(belonging.map((each) => [each.id, each.collection_id]));
  const wordsOf = new Map(rows.map((row) => [row.copyId, wordsToLearn(row.folder, row.name)]));
  const learned = await learnedOf(app.db, [...new Set(collectionOf.values())], new Set([...wordsOf.values()].flat()));
  return (row) =>
    app.suggester.suggest(
      `${row.folder}/${row.name}`,
      learned.get(collectionOf.get(row.copyId) ?? 0),
      wordsOf.get(row.copyId),
      toldBy(row),
    );
}

/** Categories proposed for copies, best first, each with its reasons. */
export async function suggestFor(app: AppContext, copyIds: number[], sight: Sight) {
  const answers: { copyId: number; suggestions: Suggestion[] }[] = [];
  for await (const page of selectedRows(app.db, { kind: 'copies', copyIds, seenBy: sight })) {
    const suggest = await suggesterFor(app, page);
    answers.push(...page.map((row) => ({ copyId: row.copyId, suggestions: suggest(row) })));
  }
  return answers;
}

/** What was measured of sounds, as far as it can go into their records. */
async function measuredOf(
  app: AppContext,
  rows: readonly SoundRow[],
): Promise<Map<number, NonNullable<SuggestionSources['measured']>>> {
  const found = await app.db
    .select({ soundId: analyses.soundId, measures: analyses.measures })
    .from(analyses)
    .where(sql`${analyses.soundId} = any(${idList(rows.map(({ soundId }) => soundId))})`);
  return new Map(found.flatMap(({ soundId, measures }) => (measures ? [[soundId, measures] as const] : [])));
}

type Neighbours = Map<string, SuggestionSources['neighbours']>;

/** Adds what the sounds of each folder that say anything of an origin agree on, by drive and folder, for folders not asked for yet. */
async function askNeighbours(app: AppContext, all: readonly SoundRow[], known: Neighbours): Promise<void> {
  const rows = all.filter(({ driveId, folder }) => !known.has(`${driveId}/${folder}`));
  if (rows.length === 0) return;
  const folders = [...new Set(rows.map(({ folder }) => folder))];
  const drives = [...new Set(rows.map(({ driveId }) => driveId))];
  const agreed = NEIGHBOUR_FIELDS.map((name) => {
    const value = sql.raw(`nullif(r."${FIELD_COLUMNS[name]}", '')`);
    return sql`case when count(distinct ${value}) = 1 then max(${value}) end as ${sql.identifier(name)}`;
  });
  const { rows: found } = await app.db.execute<
    { drive_id: string; folder: string } & Record<string, string | null>
  >(sql`
    select c.drive_id, c.folder, ${sql.join(agreed, sql`, `)} from copies c join records r on r.sound_id = c.sound_id
    where c.drive_id = any(${sql.param(drives)}::uuid[]) and c.folder = any(${sql.param(folders)}::text[]) and not c.gone
    group by c.drive_id, c.folder`);
  for (const { drive_id: driveId, folder, ...values } of found)
    known.set(`${driveId}/${folder}`, Object.fromEntries(Object.entries(values).filter(([, value]) => value !== null)));
}

/**
 * Fills the wanted fields that are empty in the rows of a selection: the CatID with the best suggestion that is at least so sure, names and keywords
 * from the file name, form, weight, activity and tempo from what was measured, the origin from what the folder agrees on. Nothing that
 * somebody filled in is replaced.
 */
export function acceptSuggestions(
  app: AppContext,
  selection: SeenSelection,
  { minimumScore, fields }: { minimumScore: number; fields: readonly SuggestedField[] },
  personId: number,
): Promise<ChangeResult> {
  const wanted = new Set(fields);
  const neighbours: Neighbours = new Map();
  const change = { kind: 'suggestion' as const, summary: `Suggested ${fields.map(fieldLabel).join(', ')}`, personId };
  return editRowByRow(app, selection, change, async (rows, inside) => {
    const suggest = await suggesterFor(inside, rows);
    await askNeighbours(inside, rows, neighbours);
    const measured = await measuredOf(inside, rows);
    return rows.map((row) => {
      const { record } = row;
      const known = app.categories.find(record.catId);
      const [best] = record.catId === '' ? suggest(row) : [];
      const set = suggestRecord(
        {
          record,
          fileName: row.name,
          category: known ?? (best && best.score >= minimumScore ? best : undefined),
          measured: measured.get(row.soundId) ?? null,
          neighbours: neighbours.get(`${row.driveId}/${row.folder}`) ?? {},
        },
        wanted,
        app.categories,
      );
      return Object.keys(set).length === 0 ? undefined : { set };
    });
  });
}

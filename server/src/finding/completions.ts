import type { Completion } from '@flagstone/contract/reading';
import { FACETS, type Facet } from '@flagstone/contract/facets';
import { begunTerm, valueInLine } from '@flagstone/core/query/begun-term';
import type { SearchField } from '@flagstone/core/query/search-fields';
import { FIELDS } from '@flagstone/core/record/fields';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { pullListIsSeen, soundIsSeen, type SeenFilter } from '../rights/seen.ts';
import { countFacets } from './facets.ts';
import { folderLevel } from './folder-tree.ts';
import { countHits } from './count-hits.ts';
import { sampleOf } from './search-plan.ts';
import { allOf } from '../db/sql-parts.ts';
import { catalogueTables } from '../records/search-conditions.ts';
import { FIELD_COLUMNS } from '../records/sound-rows.ts';

const MOST = 8;

/** Texts of the search rows; the other fields of the record are looked up in it. */
const TEXTS: Record<string, SQL> = {
  library: sql`f.library`,
  publisher: sql`f.publisher`,
  creator: sql`f.creator`,
  licence: sql`f.licence`,
  container: sql`f.container`,
  category: sql`f.category`,
  subcategory: sql`f.sub_category`,
  catid: sql`f.cat_id`,
  layout: sql`f.channel_layout`,
};

/**
 * What the field at the end of a search line could be asked for: the values that the sounds have which the rest of the line finds, the most frequent first, each with
 * its count. Beyond a limit counted in a sample. None when nothing is begun, or a field of free text.
 */
export async function completionsOf(app: AppContext, filter: SeenFilter): Promise<Completion[]> {
  const begun = begunTerm(filter.q);
  if (!begun?.field) return [];
  const { before, field, text } = begun;
  // An alternative or what is excluded is counted as if it stood alone.
  const rest = { ...filter, q: before.replace(/[|\-\s]+$/, ' ') };
  const found = await valuesOf(app, rest, field, text.toLowerCase());
  return found.slice(0, MOST).map((completion) => ({ ...completion, line: `${before}${completion.term} ` }));
}

type Found = Omit<Completion, 'line'>;

async function valuesOf(app: AppContext, rest: SeenFilter, field: SearchField, text: string): Promise<Found[]> {
  if (field.name === 'in') return foldersLike(app, rest, text);
  if (field.name === 'tag') return tagsLike(app, rest.seenBy, text);
  if (field.name === 'list') return listsLike(app, rest, text);
  if (field.kind === 'choice') return choicesLike(app, rest, field, text);
  const facet = FACETS.find((each): each is Facet => each === field.name);
  if (facet && (field.kind === 'number' || facet === 'drive')) {
    const { facets, isApproximate } = await countFacets(app, rest);
    const values = facets.find((each) => each.facet === facet)?.values ?? [];
    return values
      .filter(({ term, label }) => term.includes(text) || label.toLowerCase().includes(text))
      .map((value) => ({ ...value, isApproximate }));
  }
  return field.kind === 'text' ? textsLike(app, rest, field, text) : [];
}

async function textsLike(app: AppContext, rest: SeenFilter, field: SearchField, text: string): Promise<Found[]> {
  const own = FIELDS.find(({ name }) => name === field.field);
  const isList = own?.kind === 'list';
  const column =
    TEXTS[field.name] ?? (own && own.kind !== 'longText' ? sql.raw(`r."${FIELD_COLUMNS[own.name]}"`) : undefined);
  if (!column) return [];
  const { conditions, factor } = await sampleOf(app, rest);
  const each = isList ? sql`unnest(${column})` : column;
  const { rows } = await app.db.execute<{ value: string; count: number }>(sql`
    select value, count(*) as count from (select ${each} as value from ${catalogueTables(!(field.name in TEXTS))} where ${allOf(conditions)}) said
    where value <> '' and strpos(lower(value), ${text}) > 0 group by value
    order by starts_with(lower(value), ${text}) desc, count(*) desc, value limit ${MOST}`);
  return rows.map(({ value, count }) => ({
    label: value,
    // One of several keywords is among others; of other fields the whole value is meant.
    term: `${field.name}:${isList ? '' : '='}${valueInLine(value)}`,
    count: count * factor,
    isApproximate: factor !== 1,
  }));
}

/** Each counted by itself: they are not values of one column. */
async function choicesLike(app: AppContext, rest: SeenFilter, field: SearchField, text: string): Promise<Found[]> {
  const choices = (field.choices ?? []).filter((choice) => choice.startsWith(text)).slice(0, MOST);
  const counted = await Promise.all(
    choices.map(async (choice) => {
      const term = `${field.name}:${choice}`;
      const hits = await countHits(app, { ...rest, q: `${rest.q} ${term} ` });
      return { label: choice, term, ...hits };
    }),
  );
  return counted.sort((a, b) => b.count - a.count);
}

async function foldersLike(app: AppContext, rest: SeenFilter, text: string): Promise<Found[]> {
  const given = text.split('/');
  const begun = given.pop() ?? '';
  // Typed in small letters or not, each folder is found by its name.
  let below = '';
  for (const part of given) {
    const level = await folderLevel(app, rest, below);
    const next = level.folders.find(({ name }) => name.toLowerCase() === part);
    if (!next) return [];
    below = next.path;
  }
  const { folders, isApproximate } = await folderLevel(app, rest, below);
  return folders
    .filter(({ name }) => name.toLowerCase().startsWith(begun))
    .map(({ name, term, count }) => ({ label: name, term, count: count ?? 0, isApproximate }));
}

async function tagsLike(app: AppContext, sight: Sight, text: string): Promise<Found[]> {
  const { rows } = await app.db.execute<{ tag: string; count: number }>(sql`
    select tag, count(distinct sound_id) as count from sound_marks cross join unnest(tags) tag where starts_with(lower(tag), ${text})
    and ${soundIsSeen(sight, sql`sound_marks.sound_id`)}
    group by tag order by 2 desc, 1 limit ${MOST}`);
  return rows.map(({ tag, count }) => ({ label: tag, term: `tag:${valueInLine(tag)}`, count, isApproximate: false }));
}

/** Pull lists that are seen, the newest first. */
async function listsLike(app: AppContext, { seenBy, person = 0 }: SeenFilter, text: string): Promise<Found[]> {
  const { rows } = await app.db.execute<{ name: string; count: number }>(sql`
    select l.name, (select count(distinct e.sound_id) from pull_entries e where e.list_id = l.id and ${soundIsSeen(seenBy, sql`e.sound_id`)}) as count
    from pull_lists l where ${pullListIsSeen(seenBy, person)} and strpos(lower(concat_ws(' ', l.name, l.show, l.scene)), ${text}) > 0
    order by l.id desc limit ${MOST}`);
  return rows.map(({ name, count }) => ({
    label: name,
    term: `list:=${valueInLine(name)}`,
    count,
    isApproximate: false,
  }));
}

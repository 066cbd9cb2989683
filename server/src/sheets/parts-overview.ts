import { WORD_STANDINGS, type SheetPartsOverview, type StandsFor } from '@flagstone/contract/sheets';
import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import type { sheets } from '../db/sheets-schema.ts';
import { wordStandings, type WordStanding } from './apply-words.ts';
import { standingOf } from './house-people.ts';

type SheetRow = Pick<typeof sheets.$inferSelect, 'id' | 'manifest'>;

/** Lists and relations of words that are shown, and people. */
const MOST_SHOWN = 200;

/** What a sheet brings beside its records, and how that stands to what is here. `by` is whoever asks: who may say for whom people of the sheet stand. */
export async function partsOverview(
  db: Queryable,
  sheet: SheetRow,
  by: { personId: number; isAdministrator: boolean },
): Promise<SheetPartsOverview> {
  const lines = sql`sheet_part_lines p left join sheet_items i on i.sheet_id = p.sheet_id and i.line = p.of_line where p.sheet_id = ${sheet.id}::uuid`;
  const { rows } = await db.execute<{ file: string; total: number; held: number }>(sql`
    select p.file, count(*)::int as total, count(i.sound_id)::int as held from ${lines} group by 1`);
  const countOf = (file: string) => rows.find((row) => row.file === file) ?? { total: 0, held: 0 };
  const [marks, histories] = [countOf('marks'), countOf('histories')];
  return {
    people: await peopleOf(db, sheet, by),
    marks: { total: marks.total, held: marks.held },
    lists: { total: countOf('lists').total, some: await listsOf(db, sheet, lines) },
    words: await wordsOf(db, sheet),
    histories: { revisions: histories.total, held: histories.held },
  };
}

async function peopleOf(
  db: Queryable,
  { id, manifest }: SheetRow,
  by: { personId: number; isAdministrator: boolean },
): Promise<SheetPartsOverview['people']> {
  const standing = await standingOf(db, manifest.house.id);
  const { rows } = await db.execute<{ name: string; marks: number; lists: number }>(sql`
    select said ->> 'person' as name, count(*) filter (where file = 'marks')::int as marks, count(*) filter (where file = 'lists')::int as lists
    from sheet_part_lines where sheet_id = ${id}::uuid and file in ('marks', 'lists', 'entries') group by 1 order by 2 desc, 1 limit ${MOST_SHOWN}`);
  return rows.map((row) => {
    const stands: StandsFor = standing.get(row.name) ?? { as: 'guest' };
    return {
      ...row,
      stands,
      changeable: by.isAdministrator || stands.as !== 'person' || stands.personId === by.personId,
    };
  });
}

async function listsOf(db: Queryable, { id }: SheetRow, lines: SQL): Promise<SheetPartsOverview['lists']['some']> {
  const { rows } = await db.execute<SheetPartsOverview['lists']['some'][number] & Record<string, unknown>>(sql`
    with entries as (select p.said -> 'list' as list, count(*)::int as entries, count(i.sound_id)::int as held from ${lines} and p.file = 'entries' group by 1)
    select l.said ->> 'name' as name, l.said ->> 'show' as show, l.said ->> 'scene' as scene, l.said ->> 'person' as person,
      coalesce(e.entries, 0) as entries, coalesce(e.held, 0) as held, t.row_id is not null or o.house_id is not null as "isKnown"
    from sheet_part_lines l left join entries e on e.list = l.said -> 'home'
    left join told_rows t on t.kind = 'list' and t.home = (l.said #>> '{home,house}')::uuid and t.home_number = (l.said #>> '{home,number}')::bigint
      and exists (select from pull_lists k where k.id = t.row_id)
    left join installation o on o.house_id = (l.said #>> '{home,house}')::uuid
    where l.sheet_id = ${id}::uuid and l.file = 'lists' order by entries desc, name limit ${MOST_SHOWN}`);
  return rows;
}

async function wordsOf(db: Queryable, { id, manifest }: SheetRow): Promise<SheetPartsOverview['words']> {
  const given = sql`select said ->> 'word' as word, said ->> 'related' as related, said ->> 'kind' as kind, (said ->> 'hidden')::boolean as hidden
    from sheet_part_lines where sheet_id = ${id}::uuid and file = 'words'`;
  const standings = wordStandings(manifest.house.id, given);
  const { rows: counted } = await db.execute<{ standing: WordStanding; relations: number }>(
    sql`select standing, count(*)::int as relations from (${standings}) w group by 1`,
  );
  type Kind = SheetPartsOverview['words']['some'][number]['kind'];
  const { rows } = await db.execute<{
    word: string;
    related: string;
    kind: Kind;
    hidden: boolean;
    our_kind: Kind | null;
    our_hidden: boolean | null;
    standing: WordStanding;
  }>(sql`select * from (${standings}) w where standing <> 'same' order by word, related limit ${MOST_SHOWN}`);
  const counts = Object.fromEntries(
    WORD_STANDINGS.map((standing) => [standing, counted.find((row) => row.standing === standing)?.relations ?? 0]),
  ) as SheetPartsOverview['words']['counts'];
  const some = rows.map(({ our_kind: kind, our_hidden: hidden, ...row }) => ({
    ...row,
    ours: kind === null || hidden === null ? null : { word: row.word, related: row.related, kind, hidden },
  }));
  return { counts, some };
}

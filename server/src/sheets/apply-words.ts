import type { WordLine } from '@flagstone/contract/sheet-parts';
import type { WORD_STANDINGS } from '@flagstone/contract/sheets';
import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { saveRelations } from '../finding/word-relations.ts';
import { asSetting } from '../records/setting-acts.ts';
import { keepTold, noteLines, summaryOf, type Parting, type WaitingLine } from './part-lines.ts';
import { isUndone } from './undone-runs.ts';

export type WordStanding = (typeof WORD_STANDINGS)[number];

/** What a relation says of its two words, and by what it is told from others. */
const saidOf = ({ kind, hidden }: Pick<WordLine, 'kind' | 'hidden'>) => ({ kind, hidden });
const whatOf = ({ word, related }: WordLine): string => `words ${word}/${related}`;

/** Relations `n` (word, related, kind, hidden) of a house, with how each stands to what is said here: a relation is one thing, of which not a half is taken. */
export function wordStandings(houseId: string, relations: SQL): SQL {
  const same = (kind: SQL, hidden: SQL): SQL => sql`(${kind} = n.kind and ${hidden} = n.hidden)`;
  return sql`
    select n.word, n.related, n.kind, n.hidden, r.kind as our_kind, r.hidden as our_hidden, case when r.id is null then 'new'
      when ${same(sql`r.kind`, sql`r.hidden`)} then 'same' when b.said is null then 'both'
      when b.said ->> 'kind' = r.kind and (b.said ->> 'hidden')::boolean = r.hidden then 'theirs'
      when ${same(sql`b.said ->> 'kind'`, sql`(b.said ->> 'hidden')::boolean`)} then 'ours' else 'both' end as standing
    from (${relations}) n left join word_relations r on r.word = n.word and r.related = n.related
    left join told_bases b on b.house_id = ${houseId}::uuid and b.what = 'words ' || n.word || '/' || n.related and not ${isUndone(sql`b.run_id`)}
    where n.word <> n.related`;
}

/** Takes the relations of words of a sheet that are new here, that only their house changed, or that both changed and theirs is to win. */
export async function applyWords(run: Parting, lines: readonly WaitingLine<WordLine>[]): Promise<void> {
  const { manifest, runId } = run.sheet;
  await asSetting(
    run.app,
    'word_relations',
    run.personId,
    async ({ db }) => {
      const said = lines.map((each) => each.said);
      await saveRelations(db, await taken(db, run, said), run.personId);
      await keepTold(db, run, new Map(said.map((each) => [whatOf(each), saidOf(each)])));
      await noteLines(
        db,
        run,
        'words',
        lines.map(({ line }) => line),
      );
    },
    { runId, summary: summaryOf(run) },
  );

  async function taken(db: Queryable, { wins }: Parting, said: readonly WordLine[]): Promise<WordLine[]> {
    const given = sql`select * from jsonb_to_recordset(${JSON.stringify(said)}::jsonb) g(word text, related text, kind text, hidden boolean)`;
    const { rows } = await db.execute<WordLine & { standing: WordStanding } & Record<string, unknown>>(
      wordStandings(manifest.house.id, given),
    );
    const counts: readonly WordStanding[] = wins === 'theirs' ? ['new', 'theirs', 'both'] : ['new', 'theirs'];
    return rows.filter(({ standing }) => counts.includes(standing));
  }
}

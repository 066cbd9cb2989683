import { MOST_COUNTED, type Waiting, type WaitingRemark } from '@flagstone/contract/remarks';
import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { REMARK_COLUMNS, waitsFor } from '../records/remarks.ts';
import { soundIsSeen } from '../rights/seen.ts';
import type { Reviewer } from './review.ts';

/** As many remarks are told. */
const MOST_REMARKS = 100;

/** What waits for somebody: remarks that name them, proposals of theirs that came back, proposals that they may decide. */
export async function waitingFor(db: Queryable, { personId, sight, decides }: Reviewer): Promise<Waiting> {
  const { rows } = await db.execute<WaitingRemark & Record<string, unknown>>(sql`
    select ${REMARK_COLUMNS}, f.name, s.duration_seconds as "durationSeconds" from ${waitsFor(personId, sight)} order by w.id limit ${MOST_REMARKS}`);
  // A category counts once, by its CatID.
  const each = sql`field not in ('category', 'subCategory')`;
  const {
    rows: [counts],
  } = await db.execute<Waiting['counts'] & Record<string, unknown>>(sql`
    select ${countOf(sql`${waitsFor(personId, sight)}`)} as remarks,
      ${countOf(sql`proposals where person_id = ${personId} and state = 'returned' and ended_by is null and ${each}`)} as returned,
      ${countOf(sql`proposals where state = 'waiting' and person_id <> ${personId} and ${each} and ${soundIsSeen(decides, sql`proposals.sound_id`)}`)} as "toReview"`);
  return { remarks: rows, counts: counts ?? { remarks: 0, returned: 0, toReview: 0 } };
}

/** How many rows there are, up to where nobody counts any more. */
const countOf = (from: SQL): SQL =>
  sql`(select count(*)::int from (select 1 from ${from} limit ${MOST_COUNTED}) counted)`;

import type { EndingLicence } from '@flagstone/contract/licences';
import { publicLicence } from '@flagstone/core/licences/public-licences';
import type { LicenceTerms } from '@flagstone/core/licences/terms';
import { AppError } from '@flagstone/core/errors';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { and, eq, isNotNull, sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { authorities } from '../db/schema.ts';
import type { Sight } from '../rights/rights.ts';
import { soundIsSeen } from '../rights/seen.ts';

export type LicenceOf = Pick<SoundRecord, 'licence' | 'licenceUrl'>;
/** The terms of the licence that a record names; undefined where nobody read them. */
export type TermsOf = (record: LicenceOf) => LicenceTerms | undefined;

/** What is known of licences now: by the lists, as somebody said it, else as public licences have it. */
export async function knownTerms(db: Queryable): Promise<TermsOf> {
  const rows = await db
    .select({ name: authorities.name, terms: authorities.terms })
    .from(authorities)
    .where(and(eq(authorities.kind, 'licence'), isNotNull(authorities.terms)));
  const listed = new Map(rows.map(({ name, terms }) => [name.toLowerCase(), terms]));
  return ({ licence, licenceUrl }) =>
    listed.get(licence.toLowerCase()) ?? publicLicence(licence, licenceUrl)?.terms ?? undefined;
}

/** Says what a licence allows; null for nothing that is known. Throws NOT_FOUND for what is no licence of the lists. */
export async function saveTerms(db: Queryable, id: number, terms: LicenceTerms | null): Promise<void> {
  const saved = await db
    .update(authorities)
    .set({ terms })
    .where(and(eq(authorities.id, id), eq(authorities.kind, 'licence')))
    .returning({ id: authorities.id });
  if (saved.length === 0) throw new AppError('NOT_FOUND', 'There is no such licence on the lists.');
}

const SOON = sql.raw("interval '60 days'");

/** Licences that end within two months, or have ended, and that sounds have which are seen; what ends first is first. */
export async function endingLicences(db: Queryable, sight: Sight): Promise<EndingLicence[]> {
  const { rows } = await db.execute<EndingLicence & Record<string, unknown>>(sql`
    select a.name, a.terms ->> 'until' as until, count(*)::int as sounds from authorities a
    join records r on lower(r.licence) = lower(a.name) and ${soundIsSeen(sight, sql`r.sound_id`)}
    where a.kind = 'licence' and a.terms ->> 'until' <> '' and (a.terms ->> 'until')::date <= now() + ${SOON}
    group by a.id order by 2, 1 limit 20`);
  return rows;
}

import type { Delivery } from '@flagstone/contract/deliveries';
import type { DeliveryProblem } from '@flagstone/core/delivery/audio-form';
import { AppError } from '@flagstone/core/errors';
import { verdictOf, type WantedUse } from '@flagstone/core/licences/terms';
import { eq, sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { deliveryDecisions, type DeliveryRow } from '../db/deliveries-schema.ts';
import { people } from '../db/schema.ts';
import { idList } from '../db/sql-parts.ts';
import { knownTerms, type LicenceOf, type TermsOf } from '../describing/licences.ts';

/** What a delivery may have of the sounds that say a licence. */
type Standing = Pick<Delivery['licences'][number], 'verdict' | 'reasons'> | undefined;

/** What a licence is called where it is decided about: its name, else its address. */
const calledBy = ({ licence, licenceUrl }: LicenceOf): string => (licence === '' ? licenceUrl : licence);

/** Holds licences to the use of a delivery, as its terms and what was decided about it are now. */
export class LicenceCheck {
  private readonly termsOf: TermsOf;
  private readonly wanted: WantedUse | undefined;
  private readonly decided: ReadonlySet<string>;

  private constructor(termsOf: TermsOf, wanted: WantedUse | undefined, decided: ReadonlySet<string>) {
    this.termsOf = termsOf;
    this.wanted = wanted;
    this.decided = decided;
  }

  static async of(db: Queryable, delivery: DeliveryRow): Promise<LicenceCheck> {
    const { use, isCommercial, show } = delivery;
    const decisions = await db
      .select({ licence: deliveryDecisions.licence })
      .from(deliveryDecisions)
      .where(eq(deliveryDecisions.deliveryId, delivery.id));
    const { rows } = await db.execute<{ today: string }>(sql`select to_char(now(), 'YYYY-MM-DD') as today`);
    const wanted = use === '' ? undefined : { use, isCommercial, show, today: rows[0]?.today ?? '' };
    return new LicenceCheck(await knownTerms(db), wanted, new Set(decisions.map(({ licence }) => licence)));
  }

  /** How a licence stands to the use; undefined where nothing is to be said, or no use is named. */
  standing(record: LicenceOf): Standing {
    if (!this.wanted) return undefined;
    if (calledBy(record) === '') return { verdict: 'unread', reasons: ['no licence is known of it'] };
    const terms = this.termsOf(record);
    if (!terms) return { verdict: 'unread', reasons: ['nobody has said what it allows'] };
    const { verdict, reasons } = verdictOf(terms, this.wanted);
    return verdict === 'allowed' ? undefined : { verdict, reasons };
  }

  /** Whether somebody let the delivery have it although its terms stop it. */
  isDecided(record: LicenceOf): boolean {
    return this.decided.has(calledBy(record).toLowerCase());
  }

  /** What there is to tell of the licence of a sound; an error where it stops the delivery. */
  problems(record: LicenceOf): DeliveryProblem[] {
    const standing = this.standing(record);
    if (!standing) return [];
    const { verdict, reasons } = standing;
    const called = calledBy(record);
    if (called === '') return [{ code: 'NO_LICENCE', severity: 'notice', message: 'No licence is known of it.' }];
    const name = `Its licence “${called}”`;
    if (verdict === 'unread')
      return [{ code: 'LICENCE_UNREAD', severity: 'notice', message: `${name}: ${reasons.join('; ')}.` }];
    if (verdict === 'open')
      return [{ code: 'LICENCE_OPEN', severity: 'notice', message: `${name}: ${reasons.join('; ')}.` }];
    if (this.isDecided(record))
      return [
        {
          code: 'LICENCE_DECIDED',
          severity: 'notice',
          message: `${name} stops it: ${reasons.join('; ')}. It was decided to deliver it.`,
        },
      ];
    return [{ code: 'LICENCE_FORBIDS', severity: 'error', message: `${name} stops it: ${reasons.join('; ')}.` }];
  }

  /** Throws LICENCE_FORBIDS for a sound whose licence stops the delivery now, whatever it said when the tree was laid. */
  refuse(record: LicenceOf | undefined): void {
    const stops = record && this.problems(record).find(({ severity }) => severity === 'error');
    if (stops) throw new AppError('LICENCE_FORBIDS', stops.message);
  }
}

/** The licences that some sounds say now. */
export async function licencesOf(db: Queryable, soundIds: readonly number[]): Promise<Map<number, LicenceOf>> {
  const { rows } = await db.execute<LicenceOf & { id: number } & Record<string, unknown>>(
    sql`select sound_id as id, licence, licence_url as "licenceUrl" from records where sound_id = any(${idList(soundIds)})`,
  );
  return new Map(rows.map((row) => [Number(row.id), row]));
}

/** Most licences that are told of one delivery. */
const MOST_TOLD = 100;
const ORDER = { forbidden: 0, unread: 1, open: 2 };

/** The licences of a delivery that its use does not simply have, those that stop it first. */
export async function licencesTold(db: Queryable, delivery: DeliveryRow): Promise<Delivery['licences']> {
  if (delivery.use === '') return [];
  const check = await LicenceCheck.of(db, delivery);
  const { rows } = await db.execute<LicenceOf & { files: number } & Record<string, unknown>>(sql`
    select min(r.licence) as licence, min(r.licence_url) as "licenceUrl", count(*)::int as files from delivery_items i join records r on r.sound_id = i.sound_id
    where i.delivery_id = ${delivery.id} and i.state <> 'left' group by lower(r.licence), case when r.licence = '' then r.licence_url else '' end
    order by count(*) desc limit 1000`);
  const decisions = await db
    .select({ decision: deliveryDecisions, person: people.name })
    .from(deliveryDecisions)
    .innerJoin(people, eq(people.id, deliveryDecisions.personId))
    .where(eq(deliveryDecisions.deliveryId, delivery.id));
  const told = rows.flatMap(({ files, ...record }) => {
    const standing = check.standing(record);
    if (!standing) return [];
    const licence = calledBy(record);
    const found = decisions.find(({ decision }) => decision.licence === licence.toLowerCase());
    const decision = found
      ? { reason: found.decision.reason, person: found.person, at: found.decision.decidedAt.toISOString() }
      : null;
    return [{ licence, files, ...standing, decision }];
  });
  return told.sort((a, b) => ORDER[a.verdict] - ORDER[b.verdict]).slice(0, MOST_TOLD);
}

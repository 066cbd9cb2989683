import { AppError } from '@flagstone/core/errors';
import type { RecordEdit } from '@flagstone/core/record/edit';
import type { FieldName } from '@flagstone/core/record/fields';
import type { ListedName, ListedNames } from '@flagstone/core/recipes/listed-names';
import { AUTHORITY_FIELDS, type Authority, type AuthorityKind } from '@flagstone/contract/authorities';
import { eq, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { soundIsSeen } from '../rights/seen.ts';
import { authorities } from '../db/schema.ts';
import { editSounds } from '../records/edits.ts';
import { FIELD_COLUMNS } from '../records/sound-rows.ts';

const column = (name: FieldName): SQL => sql.raw(`r."${FIELD_COLUMNS[name]}"`);

/** All lists by kind and name, with how many of the records that are seen say each. */
export async function listAuthorities(app: Pick<AppContext, 'db'>, sight: Sight): Promise<Authority[]> {
  const counted = Object.entries(AUTHORITY_FIELDS).map(
    ([kind, { name }]) =>
      sql`select ${kind}::text as kind, lower(${column(name)}) as name, count(*) as uses from records r
        where ${column(name)} <> '' and ${soundIsSeen(sight, sql`r.sound_id`)} group by 2`,
  );
  const { rows } = await app.db.execute<Authority & Record<string, unknown>>(sql`
    with used as (${sql.join(counted, sql` union all `)})
    select a.id, a.kind, a.name, a.code, a.terms is not null as "hasTerms", coalesce(u.uses, 0)::int as uses from authorities a
    left join used u on u.kind = a.kind and u.name = lower(a.name) order by a.kind, lower(a.name)`);
  return rows.map(({ id, kind, name, code, hasTerms, uses }) => ({ id, kind, name, code, hasTerms, uses }));
}

/** The lists as recipes look names up in them: by the field that says the name. */
export async function listedNames(app: Pick<AppContext, 'db'>): Promise<ListedNames> {
  const rows = await app.db.select().from(authorities).orderBy(authorities.id);
  return Object.fromEntries(
    Object.entries(AUTHORITY_FIELDS).map(([kind, { name, code }]) => [
      name,
      rows
        .filter((row) => row.kind === kind)
        .map((row): ListedName => ({ name: row.name, code: row.code, ...(code ? { codeField: code } : {}) })),
    ]),
  );
}

/** Adds a name to a list, or gives the one that is there its code and spelling. */
export async function saveAuthority(
  app: AppContext,
  { kind, name, code }: Pick<Authority, 'kind' | 'name' | 'code'>,
): Promise<void> {
  await app.db.execute(sql`
    insert into authorities (kind, name, code) values (${kind}, ${name}, ${code})
    on conflict (kind, lower(name)) do update set name = excluded.name, code = excluded.code`);
}

/** Takes over the names that records say and that the lists do not have, each with its most frequent code. */
export async function gatherAuthorities(app: AppContext, sight: Sight): Promise<void> {
  for (const [kind, { name, code }] of Object.entries(AUTHORITY_FIELDS)) {
    const codeColumn = code ? column(code) : sql`''`;
    await app.db.execute(sql`
      insert into authorities (kind, name, code)
      select distinct on (lower(name)) ${kind}, name, code from (
        select ${column(name)} as name, ${codeColumn} as code, count(*) as uses from records r
        where ${column(name)} <> '' and ${soundIsSeen(sight, sql`r.sound_id`)} group by 1, 2) u
      order by lower(name), (code = ''), uses desc
      on conflict (kind, lower(name)) do nothing`);
  }
}

/** Takes a name off its list; no record changes. Throws NOT_FOUND. */
export async function removeAuthority(app: AppContext, id: number): Promise<void> {
  await app.db.delete(authorities).where(eq(authorities.id, (await authorityOf(app, id)).id));
}

/** Puts a name into another of its list: all records that say the one say the other, with its code, as one change. Throws NOT_FOUND, BAD_REQUEST. */
export async function mergeAuthority(
  app: AppContext,
  id: number,
  intoId: number,
  personId: number,
  sight: Sight,
): Promise<{ changed: number; authorities: Authority[] }> {
  const [from, into] = [await authorityOf(app, id), await authorityOf(app, intoId)];
  if (from.kind !== into.kind || from.id === into.id)
    throw new AppError('BAD_REQUEST', 'Only two names of one list can be merged.');
  const { name, code } = AUTHORITY_FIELDS[from.kind];
  const set: NonNullable<RecordEdit['set']> = { [name]: into.name };
  if (code && into.code !== '') Object.assign(set, { [code]: into.code });
  const condition = sql`lower(${column(name)}) = lower(${from.name})`;
  const summary = `“${from.name}” becomes “${into.name}”`;
  const { changed } = await editSounds(app, condition, { kind: 'edit', summary, personId }, () => ({ set }));
  await app.db.delete(authorities).where(eq(authorities.id, from.id));
  return { changed, authorities: await listAuthorities(app, sight) };
}

async function authorityOf(
  app: AppContext,
  id: number,
): Promise<{ id: number; kind: AuthorityKind; name: string; code: string }> {
  const [row] = await app.db.select().from(authorities).where(eq(authorities.id, id));
  if (!row) throw new AppError('NOT_FOUND', 'There is no such name on the lists.');
  return { ...row, kind: row.kind as AuthorityKind };
}

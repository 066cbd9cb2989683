import { AppError } from '@flagstone/core/errors';
import { windowedSource } from '@flagstone/core/formats/byte-source';
import { describeFile } from '@flagstone/core/formats/describe-file';
import { agrees } from '@flagstone/core/formats/field-places';
import { FIELD_NAMES, type FieldName } from '@flagstone/core/record/fields';
import type { Disagreements, FileContents } from '@flagstone/contract/contents';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { copies, drives } from '../db/schema.ts';
import { readAudio } from '../disk/read-audio.ts';
import { filesOf } from '../drives/drives.ts';
import { allOf } from '../db/sql-parts.ts';
import { selectionParts } from './sound-rows.ts';

/** Everything that stands in the file of a copy now: every block, and every place of every field. Throws NOT_FOUND and what reading throws. */
export async function contentsOf(app: AppContext, copyId: number): Promise<FileContents> {
  const [row] = await app.db
    .select()
    .from(copies)
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(eq(copies.id, copyId));
  if (!row) throw new AppError('NOT_FOUND', `There is no copy ${copyId}.`);
  const { folder, name } = row.copies;
  return filesOf(app, row.drives).withSource(folder, name, async (source, { sizeBytes }) => {
    const { facts, places, record, issues } = await readAudio(source, name);
    const seen = new Set<FieldName>();
    return {
      copyId,
      name,
      container: facts.container,
      sizeBytes,
      issues,
      blocks: await describeFile(windowedSource(source)),
      places: places.flatMap((place) => {
        const { field, value } = place;
        const winner = record[field];
        if (value === null || winner === undefined) return [];
        const standing = !seen.has(field) ? 'counts' : agrees(place.place, value, winner) ? 'agrees' : 'differs';
        seen.add(field);
        return [{ ...place, value, standing }];
      }),
    };
  });
}

/** How many files of a selection disagree with themselves, and on which fields; as they were when they were last read or written. */
export async function countDisagreements(app: AppContext, selection: SeenSelection): Promise<Disagreements> {
  const { tables, conditions } = selectionParts(selection);
  const { rows } = await app.db.execute<{
    field: string | null;
    files: number;
    disagreeing: number;
    count: number;
  }>(sql`
    with chosen as (select c.disagreeing from ${tables} where ${allOf(conditions)})
    select null as field, count(*) as files, count(*) filter (where cardinality(disagreeing) > 0) as disagreeing, 0 as count from chosen
    union all select f, 0, 0, count(*) from chosen, unnest(disagreeing) as f group by f`);
  const whole = rows.find((row) => row.field === null);
  const countOf = (field: FieldName): number => Number(rows.find((row) => row.field === field)?.count ?? 0);
  return {
    files: Number(whole?.files ?? 0),
    disagreeing: Number(whole?.disagreeing ?? 0),
    fields: FIELD_NAMES.map((field) => ({ field, files: countOf(field) }))
      .filter(({ files }) => files > 0)
      .sort((a, b) => b.files - a.files),
  };
}

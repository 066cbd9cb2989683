import { PART_FILE_NAMES, PART_FILES, type PartFile, type SheetPart } from '@flagstone/contract/sheet-parts';
import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import type { CountedFile, ScratchFolder } from '../disk/scratch-folder.ts';
import { writeInto } from '../disk/write-into.ts';

/** Lists whose headings are read at once. */
const PAGE = 500;

/**
 * Writes what a sheet brings beside its records: page by page of the sounds that it holds, so that nothing but the numbers of pull lists is kept. What came from another house
 * goes out under the number that it has there; marks of another house's people stay here.
 */
export class PartWriter {
  private readonly files: Map<PartFile, CountedFile>;
  private readonly listIds = new Set<number>();
  private readonly db: Queryable;
  private readonly houseId: string;

  constructor(db: Queryable, folder: ScratchFolder, houseId: string, parts: readonly SheetPart[]) {
    this.db = db;
    this.houseId = houseId;
    const names = PART_FILE_NAMES.filter((name) => parts.includes(PART_FILES[name].part));
    this.files = new Map(names.map((name) => [name, folder.write(PART_FILES[name].name)]));
  }

  /** Writes what belongs to some sounds, by their lines in the sheet. */
  async addSounds(lines: ReadonlyMap<number, number>): Promise<void> {
    const ids = idList([...lines.keys()]);
    const line = (soundId: number): number => lines.get(soundId) ?? 0;
    if (this.files.has('marks'))
      for (const { sound_id: id, ...mark } of await this.rows(marksOf(ids)))
        await this.add('marks', { line: line(id), ...mark });
    if (this.files.has('entries'))
      for (const { sound_id: id, list_id: listId, ...entry } of await this.rows(this.entriesOf(ids))) {
        this.listIds.add(Number(listId));
        await this.add('entries', { line: line(id), ...entry });
      }
    if (this.files.has('histories'))
      for (const { sound_id: id, ...change } of await this.rows(historiesOf(ids)))
        await this.add('histories', { line: line(id), ...change });
  }

  /** Ends the files, and returns what the manifest says of them. */
  async finish(): Promise<{ name: string; bytes: number; sha256: string }[]> {
    if (this.files.has('words'))
      for (const word of await this.rows(
        sql`select 0 as sound_id, word, related, kind, hidden from word_relations order by word, related`,
      ))
        await this.add('words', word);
    const listIds = [...this.listIds];
    for (let from = 0; this.files.has('lists') && from < listIds.length; from += PAGE)
      for (const list of await this.rows(this.listsOf(listIds.slice(from, from + PAGE)))) await this.add('lists', list);
    const described = [];
    for (const [name, file] of this.files) {
      file.into.end();
      described.push({ name: PART_FILES[name].name, ...(await file.facts()) });
    }
    return described;
  }

  private async rows(query: SQL): Promise<({ sound_id: number } & Record<string, unknown>)[]> {
    return (await this.db.execute<{ sound_id: number } & Record<string, unknown>>(query)).rows;
  }

  private async add(name: PartFile, line: Record<string, unknown>): Promise<void> {
    const file = this.files.get(name);
    // What the form of a line does not name is left out.
    if (file) await writeInto(file.into, `${JSON.stringify(PART_FILES[name].schema.parse(line))}\n`);
  }

  /** Where a row was made, and its number there. */
  private home(kind: 'list' | 'entry', rowId: SQL): SQL {
    return sql`coalesce((select jsonb_build_object('house', t.home, 'number', t.home_number) from told_rows t
      where t.kind = ${kind} and t.row_id = ${rowId} limit 1),
      jsonb_build_object('house', ${this.houseId}::uuid, 'number', ${rowId}))`;
  }

  private entriesOf(ids: SQL): SQL {
    return sql`
      select e.sound_id, e.list_id, ${this.home('entry', sql`e.id`)} as home, ${this.home('list', sql`e.list_id`)} as list, left(p.name, 200) as person,
        case when e.from_frame is not null and e.to_frame is not null then jsonb_build_object('from', e.from_frame, 'to', e.to_frame) end as part,
        e.try_out as "tryOut", left(e.comment, 2000) as comment
      from pull_entries e join people p on p.id = e.added_by where e.sound_id = any(${ids}) order by e.list_id, e.place, e.id`;
  }

  private listsOf(listIds: readonly number[]): SQL {
    return sql`
      select 0 as sound_id, ${this.home('list', sql`l.id`)} as home, left(p.name, 200) as person, l.name, l.show, l.scene, l.notes
      from pull_lists l join people p on p.id = l.person_id where l.id = any(${idList(listIds)}) order by l.id`;
  }
}

const marksOf = (ids: SQL): SQL => sql`
  select m.sound_id, left(p.name, 200) as person, m.rating, m.favourite, m.tags, left(m.note, 4000) as note
  from sound_marks m join people p on p.id = m.person_id
  where m.sound_id = any(${ids}) and (m.rating is not null or m.favourite or m.tags <> '{}' or m.note <> '')
    and not exists (select from house_people h where h.person_id = m.person_id and h.is_guest) order by m.sound_id, m.person_id`;

const historiesOf = (ids: SQL): SQL => sql`
  select v.sound_id, v.revision, to_json(c.created_at) #>> '{}' as at, left(p.name, 200) as person, left(c.kind, 50) as kind, left(c.summary, 1000) as summary, v.before, v.after
  from record_revisions v join changes c on c.id = v.change_id join people p on p.id = c.person_id where v.sound_id = any(${ids}) order by v.sound_id, v.revision`;

/** A digest of what the parts of a sheet say of a sound `s`, so that the next one for the same people holds what changed of them too. */
export function markOfParts(parts: readonly SheetPart[]): SQL {
  const marks = sql`(select md5(string_agg(concat_ws('|', m.person_id, m.rating, m.favourite, m.tags, m.note), '~' order by m.person_id)) from sound_marks m
    where m.sound_id = s.id and not exists (select from house_people h where h.person_id = m.person_id and h.is_guest))`;
  const entries = sql`(select md5(string_agg(concat_ws('|', e.id, e.list_id, e.from_frame, e.to_frame, e.try_out, e.comment, l.name, l.show, l.scene, l.notes), '~' order by e.id))
    from pull_entries e join pull_lists l on l.id = e.list_id where e.sound_id = s.id)`;
  return sql`concat_ws(' ', ${parts.includes('marks') ? marks : sql`null`}, ${parts.includes('lists') ? entries : sql`null`})`;
}

import { createHash } from 'node:crypto';
import { MOST_DELIVERED } from '@flagstone/contract/deliveries';
import type { SoundRow } from '@flagstone/contract/record';
import { COPY_STATES } from '@flagstone/core/record/copy-states';
import {
  bytesOfForm,
  deliveredForm,
  type DeliveredForm,
  type DeliveryProblem,
  type FormFacts,
} from '@flagstone/core/delivery/audio-form';
import type { DeliveryProfile } from '@flagstone/core/delivery/profile';
import { targetFolder, targetName } from '@flagstone/core/delivery/target-name';
import { AppError } from '@flagstone/core/errors';
import { folderAfter } from '@flagstone/core/naming/folder-pattern';
import { nameKey, pathProblem, splitExtension } from '@flagstone/core/naming/name-blocks';
import { filledTemplate, parseTemplate } from '@flagstone/core/naming/naming-pattern';
import { fieldLabel, type FieldName } from '@flagstone/core/record/fields';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import { deliveries, deliveryItems, type DeliveryItemRow, type DeliveryRow } from '../db/deliveries-schema.ts';
import { inPages } from '../db/in-pages.ts';
import { idList } from '../db/sql-parts.ts';
import { namedParts, type NamedPart } from '../delivering/copy-out.ts';
import type { Sight } from '../rights/rights.ts';
import { LicenceCheck } from './licence-check.ts';
import { refuseWhileDelivering } from './delivering-now.ts';
import { inWords } from './delivered-words.ts';
import { BESIDES } from './besides.ts';

type NewItem = Omit<DeliveryItemRow, 'deliveryId' | 'deliveredAt' | 'deliveredMark'>;

const PAGE = 200;

/** What is known of a sound beside its row. */
interface SoundFacts extends Record<string, unknown> {
  id: number;
  digest: string;
  sample_format: FormFacts['sampleFormat'];
  channel_mask: number | null;
  layout: string | null;
}

/**
 * Lays the tree of a delivery: what each sound becomes and where it goes, all of it or nothing. What was delivered before keeps its path, and is done already while it would be made the same. Touches
 * no file. Throws NOTHING_SELECTED, TOO_LARGE, CONFLICT while it is being delivered, PATTERN_INVALID.
 */
export async function layTree(app: AppContext, id: number, sight: Sight): Promise<void> {
  await app.db.transaction(async (tx) => {
    const [delivery] = await tx.select().from(deliveries).where(eq(deliveries.id, id)).for('update');
    if (!delivery) throw new AppError('NOT_FOUND', `There is no delivery ${id}.`);
    await refuseWhileDelivering(tx, id);
    const earlier = await tx.select().from(deliveryItems).where(eq(deliveryItems.deliveryId, id));
    const inside = { ...app, db: tx };
    const planner = new TreePlanner(delivery, earlier, await LicenceCheck.of(tx, delivery));
    const seen = { person: delivery.personId, seenBy: sight };
    for await (const parts of inPages(namedParts(inside, delivery.what, seen), PAGE)) {
      const facts = await factsOf(inside, parts);
      const rows = parts.flatMap((part) => planner.plan(part, facts.get(part.row.soundId)));
      if (planner.sounds > MOST_DELIVERED) {
        const most = MOST_DELIVERED.toLocaleString('en');
        throw new AppError('TOO_LARGE', `A delivery holds ${most} sounds at most: narrow what is delivered.`);
      }
      const values = bulkInsert(
        deliveryItems,
        rows.map((row) => ({ ...row, deliveryId: id })),
      );
      await tx.execute(sql`${values} on conflict (delivery_id, path) do update set
        wanted = excluded.wanted, sound_id = excluded.sound_id, copy_id = excluded.copy_id, from_path = excluded.from_path, part = excluded.part,
        try_out = excluded.try_out, file = excluded.file, made = excluded.made, bytes = excluded.bytes, state = excluded.state, problems = excluded.problems,
        mark = excluded.mark, turn = excluded.turn`);
    }
    if (planner.sounds === 0) throw new AppError('NOTHING_SELECTED', 'There is nothing to deliver.');
    const turn = delivery.turn + 1;
    await tx.execute(sql`delete from delivery_items where delivery_id = ${id} and turn < ${turn} and digest = ''`);
    await tx.execute(
      sql`update delivery_items set state = 'left', problems = '[]' where delivery_id = ${id} and turn < ${turn}`,
    );
    await tx
      .update(deliveries)
      .set({ turn, plannedAt: sql`now()` })
      .where(eq(deliveries.id, id));
  });
}

async function factsOf(app: AppContext, parts: readonly NamedPart[]): Promise<Map<number, SoundFacts>> {
  const { rows } = await app.db.execute<SoundFacts>(sql`
    select s.id, coalesce(s.full_digest, s.quick_digest) as digest, s.sample_format, s.channel_mask, a.channel_layout as layout
    from sounds s left join analyses a on a.sound_id = s.id where s.id = any(${idList(parts.map(({ row }) => row.soundId))})`);
  return new Map(
    rows.map((row) => [row.id, { ...row, channel_mask: row.channel_mask === null ? null : Number(row.channel_mask) }]),
  );
}

/** Names and forms of a delivery, one sound after the other. */
class TreePlanner {
  /** How many were planned. */
  sounds = 0;
  private readonly profile: DeliveryProfile;
  private readonly licences: LicenceCheck;
  private readonly turn: number;
  private readonly template: ReturnType<typeof parseTemplate> | undefined;
  private readonly taken = new Set<string>();
  private readonly counters = new Map<string, Map<string, number>>();
  /** What was delivered before, by what it is; a sound may be in a list twice. */
  private readonly before = new Map<string, DeliveryItemRow[]>();

  constructor({ profile, turn }: DeliveryRow, earlier: readonly DeliveryItemRow[], licences: LicenceCheck) {
    this.licences = licences;
    this.profile = profile;
    this.turn = turn + 1;
    const { names } = profile;
    this.template = names.kind === 'template' ? parseTemplate(names.template) : undefined;
    if (profile.folders.kind === 'template') folderAfter(profile.folders.template, {});
    // Where a sound went before nothing else goes, be it part of this delivery now or not.
    for (const item of earlier)
      if (item.digest !== '') {
        this.before.set(keyOf(item), [...(this.before.get(keyOf(item)) ?? []), item]);
        this.taken.add(nameKey(item.path));
      }
    for (const name of Object.values(BESIDES)) this.taken.add(nameKey(name));
  }

  plan(part: NamedPart, facts: SoundFacts | undefined): NewItem[] {
    if (!facts) return [];
    this.sounds += 1;
    const { row } = part;
    const isWorked = part.part !== null || part.tryOut.some(({ on }) => on);
    const form = deliveredForm(formFacts(row, facts), this.profile.audio, isWorked);
    const { folder, base, problems } = this.placeOf(part);
    const files = form.kind === 'same' ? [{ suffix: '', channels: row.facts.channels }] : form.files;
    const common = [...this.licences.problems(row.record), ...problems, ...form.problems, ...this.sourceProblems(row)];
    const bytes = this.bytesOf(part, form);
    return files.map(({ suffix }, file) => {
      const extension = form.kind === 'same' ? safeExtension(row.name) : form.extension;
      const wanted = [folder, `${base}${suffix}${extension}`].filter((each) => each !== '').join('/');
      const identity = { soundId: row.soundId, part: part.part, tryOut: part.tryOut, file, wanted };
      const mark = this.markOf(row, facts, identity);
      const old = this.before.get(keyOf(identity))?.shift();
      const path = old?.path ?? this.freePath(folder, base, suffix, extension);
      this.taken.add(nameKey(path));
      const tooLong = pathProblem(
        path.slice(0, Math.max(0, path.lastIndexOf('/'))),
        path.slice(path.lastIndexOf('/') + 1),
      );
      const isBlocked = common.some(({ severity }) => severity === 'error');
      const isDone = old?.deliveredMark === mark;
      return {
        ...identity,
        path,
        copyId: row.copyId,
        from: [row.driveName, row.folder, row.name].filter((each) => each !== '').join('/'),
        made: inWords(form, part, row, file),
        bytes: isDone ? old.bytes : Math.round(bytes / files.length),
        state: isBlocked ? 'blocked' : isDone ? 'done' : 'planned',
        problems: tooLong ? [...common, tooLong] : common,
        mark,
        turn: this.turn,
        digest: old?.digest ?? '',
      };
    });
  }

  private placeOf({ row, name }: NamedPart): { folder: string; base: string; problems: DeliveryProblem[] } {
    const { folders, nameRules } = this.profile;
    const problems: DeliveryProblem[] = [];
    const laid =
      folders.kind === 'flat'
        ? ''
        : folders.kind === 'asOnDrives'
          ? [row.driveName, row.folder].filter((each) => each !== '').join('/')
          : folderAfter(folders.template, row.record);
    if (laid === '' && folders.kind === 'template')
      problems.push({
        code: 'NO_FOLDER',
        severity: 'notice',
        message: 'None of the fields of its folder is filled: it lies at the top.',
      });
    const own = splitExtension(name).base;
    let base = own;
    if (this.template) {
      const missing: FieldName[] = [];
      const filled = filledTemplate(this.template, row.record, missing).trim();
      const tail = own.slice(splitExtension(row.name).base.length);
      if (filled !== '') base = filled + tail;
      if (missing.length > 0) {
        const labels = [...new Set(missing)].map(fieldLabel).join(', ');
        problems.push({ code: 'NAME_INCOMPLETE', severity: 'notice', message: `Its name lacks ${labels}.` });
      }
    }
    return { folder: targetFolder(laid, nameRules), base, problems };
  }

  private freePath(folder: string, base: string, suffix: string, extension: string): string {
    const inFolder = (name: string): string => (folder === '' ? name : `${folder}/${name}`);
    const counters = this.counters.get(folder) ?? new Map<string, number>();
    this.counters.set(folder, counters);
    const isTaken = (key: string): boolean => this.taken.has(nameKey(inFolder(key)));
    return inFolder(targetName(base, { suffix, extension }, this.profile.nameRules, isTaken, counters));
  }

  private sourceProblems({ state, isDamaged }: SoundRow): DeliveryProblem[] {
    if (isDamaged)
      return [
        {
          code: 'AUDIO_DAMAGED',
          severity: 'error',
          message: 'Its file does not hold its audio any more: restore it, then lay the tree again.',
        },
      ];
    if (state === 'gone' || state === 'away') {
      const message =
        state === 'gone'
          ? 'Its file is not there any more.'
          : 'Its drive is not mounted: mount it, then lay the tree again.';
      return [{ code: 'FILE_VANISHED', severity: 'error', message }];
    }
    if ((state !== 'behind' && state !== 'split') || this.profile.withRecord) return [];
    const message = `Its file is ${COPY_STATES[state].word}: it goes out without what was described since.`;
    return [{ code: 'NOT_IN_STEP', severity: 'notice', message }];
  }

  private bytesOf({ row, part }: NamedPart, form: DeliveredForm): number {
    if (form.kind === 'same') return row.sizeBytes;
    const frames = part ? part.to - part.from : row.facts.frames;
    return bytesOfForm(form, { frames, sampleRateHz: row.facts.sampleRateHz });
  }

  /** Says the same while the file that is delivered would be. */
  private markOf(row: SoundRow, facts: SoundFacts, identity: Omit<Identity, 'wanted'>): string {
    const { audio, withRecord, bagDigest, packing } = this.profile;
    const { part, tryOut, file } = identity;
    const record = withRecord ? row.revision : 0;
    const said = [
      facts.digest,
      row.facts.container,
      record,
      part,
      tryOut,
      file,
      audio,
      packing === 'bag' ? bagDigest : '',
    ];
    // A ZIP file is made as a whole each time.
    if (packing === 'zip') said.push(String(this.turn));
    return createHash('sha256').update(JSON.stringify(said)).digest('hex');
  }
}

interface Identity {
  soundId: number;
  part: { from: number; to: number } | null;
  tryOut: DeliveryItemRow['tryOut'];
  file: number;
  wanted: string;
}

/** By which a file of a delivery is known from one time to the next. */
function keyOf({ soundId, part, tryOut, file, wanted }: Identity): string {
  return JSON.stringify([soundId, part && [part.from, part.to], tryOut, file, wanted]);
}

function formFacts(
  { facts }: SoundRow,
  { sample_format: sampleFormat, channel_mask: mask, layout }: SoundFacts,
): FormFacts {
  return {
    ...facts,
    container: facts.container as FormFacts['container'],
    sampleFormat,
    ...(mask === null ? {} : { channelMask: mask }),
    isAmbisonic: layout?.startsWith('ambisonic') ?? false,
  };
}

/** The extension of a file that goes as it is, where it is one that every system takes. */
function safeExtension(name: string): string {
  const { extension } = splitExtension(name);
  return /^\.[a-z0-9]{1,8}$/i.test(extension) ? extension : '.wav';
}

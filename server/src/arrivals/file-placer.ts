import path from 'node:path';
import { deliveredForm } from '@flagstone/core/delivery/audio-form';
import { deliveredRecord } from '@flagstone/core/delivery/delivered-record';
import { PLAIN_PROFILE } from '@flagstone/core/delivery/profile';
import { targetFolder, targetName } from '@flagstone/core/delivery/target-name';
import { AppError } from '@flagstone/core/errors';
import { nameKey, splitExtension } from '@flagstone/core/naming/name-blocks';
import { emptyRecord } from '@flagstone/core/record/fields';
import { and, eq, ne, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { arrivalFiles } from '../db/arrivals-schema.ts';
import { itemError } from '../disk/disk-errors.ts';
import { fileDigest } from '../disk/keep-file.ts';
import { moveNew } from '../disk/move-new.ts';
import { isWithin } from '../disk/roots.ts';
import { sizesIn } from '../disk/standing-files.ts';
import { withScratchNames } from '../disk/scratch-names.ts';
import { driveIsHere } from '../drives/drives.ts';
import type { Fence } from '../jobs/fence.ts';
import { JobAwaitsDrive } from '../jobs/job-queue.ts';
import type { Sight } from '../rights/rights.ts';
import { withRecordIfPossible } from '../delivering/copy-out.ts';
import type { HeaderResult } from '../workers/header-worker.ts';
import { findHeld, type ArrivalPlace } from './arrivals.ts';
import { LEFT_OUT } from './left-out.ts';

export type ArrivingFile = typeof arrivalFiles.$inferSelect;
/** Of files that are put at once, each decides in its turn what it is: of two that are the same, the first comes in. */
export interface Turn {
  mine: Promise<void>;
  over: () => void;
}
type Told = { code: string; message: string };

/** Puts the files of one arrival into its folder, each by a name that it keeps, and leaves out what is held already. */
export class FilePlacer {
  private readonly app: AppContext;
  private readonly place: ArrivalPlace;
  private readonly sight: Sight;
  private readonly enter: (folder: string) => Promise<void>;
  private readonly fence: Fence;
  /** Keys of the paths that are taken. */
  private readonly taken = new Set<string>();
  /** Folders by their keys. */
  private readonly folders = new Map<string, string>();
  private readonly counters = new Map<string, Map<string, number>>();
  /** Quick digests of what was taken up, with where it came from. */
  private readonly met = new Map<string, string>();

  private constructor(
    app: AppContext,
    place: ArrivalPlace,
    sight: Sight,
    enter: (folder: string) => Promise<void>,
    fence: Fence,
  ) {
    this.app = app;
    this.place = place;
    this.sight = sight;
    this.enter = enter;
    this.fence = fence;
  }

  /** With what was done before, of an arrival that was cut short. */
  static async of(
    app: AppContext,
    place: ArrivalPlace,
    sight: Sight,
    enter: (folder: string) => Promise<void>,
    fence: Fence,
  ): Promise<FilePlacer> {
    const placer = new FilePlacer(app, place, sight, enter, fence);
    const known = await app.db
      .select({
        path: arrivalFiles.path,
        target: arrivalFiles.target,
        quickDigest: arrivalFiles.quickDigest,
        state: arrivalFiles.state,
      })
      .from(arrivalFiles)
      .where(and(eq(arrivalFiles.arrivalId, place.arrival.id), ne(arrivalFiles.target, '')));
    for (const { path: from, target, quickDigest, state } of known) {
      placer.taken.add(nameKey(target));
      const within = path.posix.dirname(target);
      if (within !== '.') placer.folders.set(nameKey(within), within);
      if (state === 'placed' && quickDigest !== '') placer.met.set(quickDigest, from);
    }
    return placer;
  }

  /** Puts a file that lies open somewhere; what was sent is moved, and what lies elsewhere stays there. Returns why it failed. */
  placeOpen(file: ArrivingFile, turn: Turn, from: string, isSent: boolean): Promise<AppError | undefined> {
    return this.attempt(file, async () => {
      if (!isSent) return this.placeRead(file, turn, from, 'copied');
      const isMoved = (await this.place.staged.bytesOf(file.id)) === undefined;
      if (isMoved && (await this.standing(file)) === file.bytes) {
        await this.keep(file, { state: 'placed' });
        return undefined;
      }
      await this.proveSent(file, from);
      const left = await this.placeRead(file, turn, from, 'moved');
      await this.place.staged.remove(file.id);
      return left;
    });
  }

  /** Puts a file out of a pack; `extract` takes it out. Returns why it failed. */
  placePacked(
    file: ArrivingFile,
    turn: Turn,
    extract: (target: string) => Promise<void>,
  ): Promise<AppError | undefined> {
    return this.attempt(file, () =>
      withScratchNames(this.place.folder, 1, async ([extracted = '']) => {
        await extract(extracted);
        return this.placeRead(file, turn, extracted, 'moved');
      }),
    );
  }

  /** Throws AUDIO_CHANGED when what came is not what whoever sent it says. */
  async proveSent({ sha256 }: ArrivingFile, from: string): Promise<void> {
    if (sha256 !== '' && (await fileDigest(from, 'sha256')) !== sha256)
      throw new AppError(LEFT_OUT.brokenOnTheWay.code, LEFT_OUT.brokenOnTheWay.message);
  }

  /** Leaves a pack out, with everything in it. */
  async leavePack(pack: ArrivingFile, error: AppError): Promise<void> {
    if (error.code === 'DISK_FULL') throw error;
    const why = { state: 'left' as const, code: error.code, message: error.message };
    await this.app.db
      .update(arrivalFiles)
      .set(why)
      .where(
        sql`(${arrivalFiles.id} = ${pack.id} or ${arrivalFiles.packId} = ${pack.id}) and ${arrivalFiles.state} = 'here'`,
      );
  }

  private async attempt(file: ArrivingFile, work: () => Promise<Told | undefined>): Promise<AppError | undefined> {
    try {
      const left = await work();
      if (left) await this.keep(file, { state: 'left', ...left });
      return undefined;
    } catch (error) {
      const failure = itemError(error, file.path);
      await this.refuseAway();
      // What there was no room for waits, and comes when there is.
      if (failure.code !== 'DISK_FULL')
        await this.keep(file, { state: 'left', code: failure.code, message: failure.message });
      return failure;
    }
  }

  /** Of a drive that went away nothing is decided: it would seem that every file is missing. Throws JobAwaitsDrive. */
  private async refuseAway(): Promise<void> {
    const { drive, arrival } = this.place;
    if (!(await driveIsHere(drive))) throw new JobAwaitsDrive(drive.name);
    if (arrival.source === '') return;
    const isHere = await this.app.roots.checkedFolder(arrival.source).then(
      () => true,
      () => false,
    );
    if (!isHere) throw new JobAwaitsDrive(arrival.source);
  }

  /** How many bytes stand where a file was put before its arrival was cut short; null where nothing does. A file gets its name only when it is whole. */
  private async standing({ target }: ArrivingFile): Promise<number | null> {
    return target === '' ? null : ((await sizesIn(this.place.folder, [target]))[0] ?? null);
  }

  private async keep(file: ArrivingFile, change: Partial<ArrivingFile>): Promise<void> {
    await this.app.db.update(arrivalFiles).set(change).where(eq(arrivalFiles.id, file.id));
  }

  /** Reads a file and puts it where it belongs; returns why it is left out. What cannot be read is put there as it is, for somebody to look at. */
  private async placeRead(
    file: ArrivingFile,
    turn: Turn,
    from: string,
    how: 'moved' | 'copied',
  ): Promise<Told | undefined> {
    const { arrival } = this.place;
    const [read] = await this.app.workers.readHeaders([from]);
    const quickDigest = read?.ok === true ? read.quickDigest : '';
    await turn.mine;
    const left = quickDigest === '' || !arrival.onlyNew ? undefined : await this.heldAs(quickDigest, file.path);
    if (left) return left;
    try {
      const made =
        read?.ok === true && arrival.audio ? deliveredForm(read.file.facts, arrival.audio, false) : undefined;
      const problem = made?.problems.find(({ severity }) => severity === 'error');
      if (problem) throw new AppError('CODEC_NOT_SUPPORTED', problem.message);
      const target = await this.targetOf(file, quickDigest, made?.kind === 'made' ? made.extension : undefined);
      turn.over();
      await this.enter(path.dirname(target));
      await this.fence.check();
      const standing = await this.standing(file);
      if (made?.kind === 'made' && read?.ok === true) {
        if (standing === null) await this.convert(read, made, from, target);
      } else if (how === 'moved' && standing === null) await moveNew(from, target, this.place.root);
      else await this.app.workers.keep({ path: from }, target, this.place.root);
      const told = (made?.problems ?? []).map(({ message }) => message).join(' ');
      await this.keep(file, { state: 'placed', code: told === '' ? '' : 'CONVERTED', message: told });
      return undefined;
    } catch (error) {
      if (this.met.get(quickDigest) === file.path) this.met.delete(quickDigest);
      throw error;
    }
  }

  /** Why a sound is left out that is held, or that came in this arrival before. */
  private async heldAs(quickDigest: string, shown: string): Promise<Told | undefined> {
    const twin = this.met.get(quickDigest);
    if (twin !== undefined && twin !== shown)
      return { code: 'HELD_ALREADY', message: `The same sound as ${twin}, which comes too.` };
    // Taken at once, so that no other one is put there while this one is looked for.
    this.met.set(quickDigest, shown);
    const [held] = await findHeld(this.app, [quickDigest], this.sight);
    if (!held) return undefined;
    this.met.delete(quickDigest);
    return { code: 'HELD_ALREADY', message: `Held already, as ${held.name}.` };
  }

  /** Where a file goes; kept before it is put there. A name that is taken gets a number. */
  private async targetOf(file: ArrivingFile, quickDigest: string, madeExtension: string | undefined): Promise<string> {
    const { folder } = this.place;
    let below = file.target;
    if (below === '') {
      const { nameRules } = PLAIN_PROFILE;
      const wanted = targetFolder(path.posix.dirname(file.path), nameRules);
      // Folders that differ only in case are one.
      const within = this.folders.get(nameKey(wanted)) ?? wanted;
      this.folders.set(nameKey(within), within);
      const { base, extension } = splitExtension(path.posix.basename(file.path));
      const counters = this.counters.get(within) ?? new Map<string, number>();
      this.counters.set(within, counters);
      const inFolder = (name: string): string => (within === '' ? name : `${within}/${name}`);
      const isTaken = (key: string): boolean => this.taken.has(nameKey(inFolder(key)));
      const name = targetName(base, { extension: madeExtension ?? extension }, nameRules, isTaken, counters);
      below = inFolder(name);
      this.taken.add(nameKey(below));
      await this.keep(file, { target: below, quickDigest });
    }
    const target = path.join(folder, below);
    if (!isWithin(folder, target)) throw new AppError('PATH_OUTSIDE_ROOTS', `${below} leads out of ${folder}.`);
    return target;
  }

  /** Makes the file in the wanted form, with what the first one said in it. */
  private async convert(
    { file }: Extract<HeaderResult, { ok: true }>,
    form: Extract<ReturnType<typeof deliveredForm>, { kind: 'made' }>,
    source: string,
    target: string,
  ): Promise<void> {
    const { container, sampleRateHz, sampleFormat, bitDepth, isRounded, files } = form;
    const dither = (this.place.arrival.audio?.dither ?? false) && isRounded;
    await withScratchNames(path.dirname(target), 2, async ([made = '', working = '']) => {
      const matrix = files[0]?.matrix ?? null;
      await this.app.workers.convert({
        source,
        range: null,
        target: made,
        working,
        container,
        sampleRateHz,
        sampleFormat,
        bitDepth,
        dither,
        matrix,
        level: { kind: 'asIs' },
      });
      const fromHz = file.facts.sampleRateHz;
      const record = deliveredRecord(
        { ...emptyRecord(), ...file.record },
        { isWhole: true, fromHz, toHz: sampleRateHz },
      );
      await withRecordIfPossible(
        { path: made, record },
        (contents) => this.app.workers.keep(contents, target, this.place.root),
        () => undefined,
      );
    });
  }
}

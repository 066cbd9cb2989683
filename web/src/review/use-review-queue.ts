import type { EditConflict } from '@flagstone/contract/record';
import type { Proposer, QueuedProposal, ReturnedProposal } from '@flagstone/contract/review';
import { fieldLabel } from '@flagstone/core/record/fields';
import { computed, ref, shallowRef } from 'vue';
import { counted } from '../ui/format.ts';
import type { Server } from '../ui/server.ts';

/** The rest of a category goes with its CatID, and is decided with it. */
const WITH_CAT_ID = ['category', 'subCategory'];

/** As many as one request decides. */
const AT_ONCE = 500;

/** A line of the queue: one field that somebody would have otherwise. */
export interface ReviewLine {
  proposal: QueuedProposal;
  /** The first of a sound by one person. */
  isFirst: boolean;
  /** All that the person proposed of the sound, of what is loaded. */
  ofSound: readonly number[];
  /** In how many fields, a category being one. */
  fields: number;
}

/** Proposals by sound and person, in the order in which these came first. */
export function linesOf(proposals: readonly QueuedProposal[]): ReviewLine[] {
  const groups = new Map<string, QueuedProposal[]>();
  for (const proposal of proposals) {
    const key = `${proposal.soundId} ${proposal.personId}`;
    const group = groups.get(key) ?? [];
    groups.set(key, group);
    group.push(proposal);
  }
  return [...groups.values()].flatMap((group) => {
    const ofSound = group.map(({ id }) => id);
    const hasCatId = group.some(({ field }) => field === 'catId');
    const shown = group.filter(({ field }) => !hasCatId || !WITH_CAT_ID.includes(field));
    return shown.map((proposal, at) => ({ proposal, isFirst: at === 0, ofSound, fields: shown.length }));
  });
}

/** The queue of review: what waits, which line is looked at, and what is done with it. */
export function useReviewQueue(server: Server) {
  const proposals = shallowRef<readonly QueuedProposal[]>([]);
  const proposers = shallowRef<readonly Proposer[]>([]);
  const returned = shallowRef<readonly ReturnedProposal[]>([]);
  const next = ref<number | null>(null);
  const isLoaded = ref(false);
  /** Whose proposals are shown; undefined for everybody's. */
  const personId = ref<number>();
  const currentId = ref<number>();
  const lines = computed(() => linesOf(proposals.value));
  const at = computed(() =>
    Math.max(
      0,
      lines.value.findIndex(({ proposal }) => proposal.id === currentId.value),
    ),
  );
  const current = computed(() => lines.value[at.value]);
  let latest = 0;

  async function ask(after: number): Promise<boolean> {
    const asking = ++latest;
    const query = { after, ...(personId.value === undefined ? {} : { personId: personId.value }) };
    const page = await server.attempt(() => server.call('listProposals', { query }));
    // Another one was asked for since.
    if (!page || asking !== latest) return false;
    proposals.value = after === 0 ? page.proposals : [...proposals.value, ...page.proposals];
    returned.value = page.returned;
    next.value = page.next;
    isLoaded.value = true;
    return true;
  }
  /** Figures are counted over all that there was, so they are asked for on their own. */
  async function count(): Promise<void> {
    proposers.value = (await server.attempt(() => server.call('countProposals'))) ?? proposers.value;
  }
  /** All that was loaded is asked for anew; the line that is looked at stays it, or the one that takes its place. */
  async function load(): Promise<void> {
    const [place, wanted] = [at.value, proposals.value.length];
    if (!(await ask(0))) return;
    while (next.value !== null && proposals.value.length < wanted) if (!(await more())) break;
    stayAt(place);
  }
  const more = (): Promise<boolean> => ask(next.value ?? 0);

  function stayAt(place: number): void {
    if (lines.value.some(({ proposal }) => proposal.id === currentId.value)) return;
    currentId.value = lines.value[Math.min(place, lines.value.length - 1)]?.proposal.id;
  }

  async function show(who: number | undefined): Promise<void> {
    personId.value = who;
    await load();
  }

  function move(by: number): void {
    const line = lines.value[Math.min(lines.value.length - 1, Math.max(0, at.value + by))];
    if (line) currentId.value = line.proposal.id;
  }

  /** What is gone from the queue is gone from the page at once: the next line is looked at without waiting. */
  function drop(ids: readonly number[]): void {
    const place = at.value;
    const withCategories = new Set(
      proposals.value
        .filter(({ id }) => ids.includes(id))
        .flatMap(({ soundId, personId: by, field }) =>
          field === 'catId'
            ? proposals.value.filter(
                (each) => each.soundId === soundId && each.personId === by && WITH_CAT_ID.includes(each.field),
              )
            : [],
        )
        .map(({ id }) => id),
    );
    proposals.value = proposals.value.filter(({ id }) => !ids.includes(id) && !withCategories.has(id));
    stayAt(place);
  }

  const soundOf = (id: number): number | undefined => proposals.value.find((each) => each.id === id)?.soundId;
  /** What the records said to whoever decides. */
  function revisionsFor(ids: readonly number[]): { soundId: number; revision: number }[] {
    const asked = new Set(ids);
    const seen = new Map(
      proposals.value.filter(({ id }) => asked.has(id)).map(({ soundId, revision }) => [soundId, revision]),
    );
    return [...seen].map(([soundId, revision]) => ({ soundId, revision }));
  }

  async function decide(ids: readonly number[], decision: 'accepted' | 'returned', remark = ''): Promise<boolean> {
    let gone = 0;
    const conflicts: EditConflict[] = [];
    for (let at = 0; at < ids.length; at += AT_ONCE) {
      const some = ids.slice(at, at + AT_ONCE);
      const asOf = { revisions: revisionsFor(some) };
      const result = await server.attempt(() =>
        server.call('decideProposals', { body: { ids: some, decision, remark, asOf } }),
      );
      if (!result) return false;
      gone += result.gone;
      conflicts.push(...result.conflicts);
      drop(some.filter((id) => !result.conflicts.some(({ soundId }) => soundId === soundOf(id))));
    }
    if (conflicts.length > 0) {
      server.tell(
        changedMeanwhile(conflicts),
        'It waits on, with what it says now. Accept it once more to have it so.',
      );
      await load();
    }
    if (gone > 0)
      server.tell(`${counted(gone, 'proposal')} decided or taken back meanwhile`, 'They are as they were left.');
    return true;
  }

  async function withdraw(ids: readonly number[]): Promise<void> {
    const result = await server.attempt(() => server.call('withdrawProposals', { body: { ids: [...ids] } }));
    if (!result) return;
    returned.value = returned.value.filter(({ id }) => !ids.includes(id));
    drop(ids);
  }

  return {
    ...{ lines, proposers, returned, next, isLoaded, personId, current, currentId },
    ...{ load, more, count, show, move, decide, withdraw },
  };
}

/** Who changed which fields while proposals for them were decided. */
function changedMeanwhile(conflicts: readonly EditConflict[]): string {
  const people = [...new Set(conflicts.map(({ person }) => person))].join(', ');
  const fields = conflicts.filter(({ field }) => !WITH_CAT_ID.includes(field)).map(({ field }) => fieldLabel(field));
  return `${people} changed ${[...new Set(fields)].join(', ')} meanwhile`;
}

/** What a line says, for those who hear it. */
export const lineInWords = ({ person, field, name }: QueuedProposal): string =>
  `${fieldLabel(field)} of ${name}, proposed by ${person}`;

<script setup lang="ts">
import { fieldLabel } from '@flagstone/core/record/fields';
import { useDebounceFn } from '@vueuse/core';
import { ElButton, ElMessageBox } from 'element-plus';
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue';
import { usePlayer } from '../player/player-store.ts';
import ReturnDialog from '../review/return-dialog.vue';
import { lineInWords, useReviewQueue, type ReviewLine } from '../review/use-review-queue.ts';
import { useLive } from '../stores/live.ts';
import { useRights } from '../stores/rights.ts';
import { useSession } from '../stores/session.ts';
import { counted, formatValue, formatWhen } from '../ui/format.ts';
import PickOne from '../ui/pick-one.vue';
import { server } from '../ui/server.ts';
import { useKeys } from '../ui/use-keys.ts';

/** What assistants would have records say: heard, compared, accepted or returned. Whoever proposes sees their own, and what came back. */
const live = useLive();
const player = usePlayer();
const rights = useRights();
const session = useSession();
const {
  lines,
  proposers,
  returned,
  next,
  isLoaded,
  personId,
  current,
  currentId,
  load,
  more,
  count,
  show,
  move,
  decide,
  withdraw,
} = useReviewQueue(server);
const list = ref<HTMLElement>();
const returning = ref<ReviewLine>();

void load();
void count();
const RELOAD_AFTER_MS = 300;
const COUNT_AFTER_MS = 1000;
// A job that edits tells of itself all the while: now and then is enough.
const loadSoon = useDebounceFn(() => load(), RELOAD_AFTER_MS, { maxWait: 2000 });
const countSoon = useDebounceFn(() => count(), COUNT_AFTER_MS, { maxWait: 10_000 });
onBeforeUnmount(
  live.onRecords((_, onlyMeasured) => {
    if (onlyMeasured) return;
    void loadSoon();
    void countSoon();
  }),
);

const everybody = computed(() => [
  { value: 0, label: 'Everybody' },
  ...proposers.value.map((each) => ({
    value: each.personId,
    label: `${each.person}, ${each.waiting.toLocaleString('en')} waiting`,
  })),
]);
const waiting = computed(() => proposers.value.reduce((sum, each) => sum + each.waiting, 0));
const isOwn = ({ proposal }: ReviewLine): boolean => proposal.personId === session.personId;
/** Somebody changed the field since it was proposed. */
const isMoved = ({ proposal }: ReviewLine): boolean => formatValue(proposal.now) !== formatValue(proposal.before);

/** The sound of the line that is looked at comes to the strip; the first one is not played by itself. */
watch(
  () => current.value?.proposal.soundId,
  async (soundId, before) => {
    if (soundId === undefined) return;
    const sound = await server.attempt(() => server.call('getSound', { params: { id: soundId } }));
    // Somebody moved on meanwhile.
    if (sound && current.value?.proposal.soundId === soundId)
      player.show(sound.row, before === undefined ? false : undefined);
  },
);
watch(currentId, () => nextTick(() => list.value?.querySelector('.current')?.scrollIntoView({ block: 'nearest' })));

function accept(ids: readonly number[] | undefined): void {
  if (ids && current.value?.proposal.mayDecide) void decide(ids, 'accepted');
}
/** All that is on show and may be decided. */
const decidable = computed(() => lines.value.filter(({ proposal }) => proposal.mayDecide));
async function acceptShown(): Promise<void> {
  const ids = decidable.value.map(({ proposal }) => proposal.id);
  const question = `${counted(ids.length, 'field')} become what was proposed. u takes it back, five hundred at a time.`;
  const options = { confirmButtonText: `Accept ${counted(ids.length, 'field')}`, cancelButtonText: 'Leave them here' };
  const isSure = await ElMessageBox.confirm(question, 'Accept all that is shown', options).catch(() => undefined);
  if (isSure) await decide(ids, 'accepted');
}
function askToReturn(line: ReviewLine | undefined): void {
  if (line?.proposal.mayDecide) returning.value = line;
}
function giveBack(remark: string, all: boolean): Promise<boolean> {
  const line = returning.value;
  return line ? decide(all ? line.ofSound : [line.proposal.id], 'returned', remark) : Promise.resolve(true);
}

useKeys('review', {
  ArrowDown: () => move(1),
  ArrowUp: () => move(-1),
  Enter: () => accept(current.value && [current.value.proposal.id]),
  'Ctrl+Enter': () => accept(current.value?.ofSound),
  r: () => askToReturn(current.value),
});
</script>

<template>
  <div class="review">
    <header class="head">
      <h1>Review</h1>
      <span class="soft" role="status">{{
        isLoaded ? `${counted(waiting, 'proposal')} waiting` : 'Reading the queue…'
      }}</span>
      <pick-one
        v-if="proposers.length > 1"
        class="whose"
        label="Whose proposals"
        placeholder="Everybody"
        :value="personId ?? 0"
        :choices="everybody"
        @pick="(who: number) => void show(who === 0 ? undefined : who)"
      />
      <el-button v-if="decidable.length > 1" size="small" @click="acceptShown">Accept all that is shown…</el-button>
      <span v-if="rights.may('librarian') && lines.length > 0" class="soft keys"
        ><kbd>↑</kbd> <kbd>↓</kbd> choose, <kbd>Space</kbd> hear, <kbd>Enter</kbd> accept, <kbd>r</kbd> return</span
      >
    </header>
    <section v-if="returned.length > 0" class="panel" aria-label="Came back to you">
      <h2>Came back to you</h2>
      <ul class="plain-list">
        <li v-for="each in returned" :key="each.id">
          <router-link :to="`/sound/${each.soundId}`">{{ each.name }}</router-link>
          <span
            >{{ fieldLabel(each.field) }}: <q>{{ formatValue(each.value) }}</q></span
          >
          <strong v-if="each.remark">“{{ each.remark }}”</strong>
          <span class="soft">returned by {{ each.decidedBy }}, {{ formatWhen(each.decidedAt) }}</span>
          <el-button
            size="small"
            :aria-label="`Put away ${fieldLabel(each.field)} of ${each.name}`"
            @click="withdraw([each.id])"
            >Put away</el-button
          >
        </li>
      </ul>
    </section>
    <p v-if="isLoaded && lines.length === 0" class="nothing soft">
      Nothing waits. What assistants change comes here from collections that ask for review; a librarian turns that on
      under Setup, Collections.
    </p>
    <section v-if="lines.length > 0" ref="list" class="panel queue" aria-label="Proposals">
      <table class="plain">
        <thead>
          <tr>
            <th>Sound</th>
            <th>Field</th>
            <th>Says now</th>
            <th>Proposed</th>
            <th>By</th>
            <th><span class="visually-hidden">What to do</span></th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="line in lines"
            :key="line.proposal.id"
            :class="{ current: line.proposal.id === current?.proposal.id, first: line.isFirst }"
            :aria-current="line.proposal.id === current?.proposal.id ? 'true' : undefined"
            @click="currentId = line.proposal.id"
          >
            <td class="name">
              <router-link v-if="line.isFirst" :to="`/sound/${line.proposal.soundId}`">{{
                line.proposal.name
              }}</router-link>
            </td>
            <td>{{ fieldLabel(line.proposal.field) }}</td>
            <td class="value">
              {{ formatValue(line.proposal.now) }}
              <div v-if="isMoved(line)" class="moved">
                ▲ was “{{ formatValue(line.proposal.before) }}” when it was proposed
              </div>
            </td>
            <td class="value proposed">{{ formatValue(line.proposal.value) }}</td>
            <td>
              {{ line.proposal.person }}
              <div class="soft">{{ formatWhen(line.proposal.at) }}</div>
            </td>
            <td class="acts">
              <template v-if="line.proposal.mayDecide">
                <el-button
                  size="small"
                  type="primary"
                  :aria-label="`Accept ${lineInWords(line.proposal)}`"
                  @click="decide([line.proposal.id], 'accepted')"
                  >Accept</el-button
                >
                <el-button
                  v-if="line.isFirst && line.ofSound.length > 1"
                  size="small"
                  :aria-label="`Accept all that ${line.proposal.person} proposed of ${line.proposal.name}`"
                  @click="decide(line.ofSound, 'accepted')"
                  >All of it</el-button
                >
                <el-button size="small" :aria-label="`Return ${lineInWords(line.proposal)}`" @click="askToReturn(line)"
                  >Return…</el-button
                >
              </template>
              <span v-else class="soft">◇ waits</span>
              <el-button
                v-if="isOwn(line)"
                size="small"
                :aria-label="`Take back ${lineInWords(line.proposal)}`"
                @click="withdraw([line.proposal.id])"
                >Take back</el-button
              >
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="next !== null" class="more"><el-button size="small" @click="more">Show more</el-button></p>
    </section>
    <section v-if="proposers.length > 0" class="panel" aria-label="What became of proposals">
      <h2>What became of them</h2>
      <table class="plain figures">
        <thead>
          <tr>
            <th>Proposed by</th>
            <th class="number">Waiting</th>
            <th class="number">Accepted</th>
            <th class="number">Returned</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in proposers" :key="each.personId">
            <td>{{ each.person }}</td>
            <td class="number">{{ each.waiting.toLocaleString('en') }}</td>
            <td class="number">{{ each.accepted.toLocaleString('en') }}</td>
            <td class="number">{{ each.returned.toLocaleString('en') }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <return-dialog
      v-if="returning"
      :person="returning.proposal.person"
      :field="fieldLabel(returning.proposal.field)"
      :of-sound="returning.fields"
      :give-back="giveBack"
      @close="returning = undefined"
    />
  </div>
</template>

<style scoped>
.review {
  height: 100%;
  padding: 16px;
  overflow: auto;
}

.head {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: baseline;
  margin-bottom: 12px;
}

.whose {
  width: 240px;
}

.keys {
  margin-left: auto;
}

.panel {
  margin-bottom: 16px;
  padding: 8px 14px;
}

.panel.queue {
  padding: 0;
}

.queue :is(th, td) {
  padding: 4px 14px;
}

.nothing {
  max-width: 640px;
}

tr.first td {
  border-top: 1px solid var(--hairline);
}

tr.current {
  background: var(--sunken);
  box-shadow: inset 3px 0 0 var(--lichen);
}

td {
  vertical-align: top;
}

.name {
  max-width: 240px;
  overflow-wrap: anywhere;
}

.value {
  max-width: 260px;
  overflow-wrap: anywhere;
  white-space: pre-line;
}

.proposed {
  font-weight: 600;
}

.moved {
  color: var(--ink-soft);
  font-size: 12px;
}

.acts {
  white-space: nowrap;
}

.acts .soft {
  margin-right: 12px;
}

.plain-list {
  margin: 0;
  padding: 0;
  list-style: none;
}

.plain-list li {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
  padding: 4px 0;
}

.figures {
  width: auto;
  min-width: 420px;
}

.number {
  text-align: right;
}

.more {
  margin: 8px 0 0;
}
</style>

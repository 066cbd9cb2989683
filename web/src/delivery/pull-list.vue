<script setup lang="ts">
import type { PullList } from '@flagstone/contract/pull-lists';
import { valueInLine } from '@flagstone/core/query/begun-term';
import { tryOutInWords } from '@flagstone/core/audio/try-out/try-out';
import { ElButton, ElCheckbox, ElDropdown, ElDropdownItem, ElDropdownMenu, ElPopconfirm } from 'element-plus';
import { computed, ref } from 'vue';
import DraftText from '../ui/draft-text.vue';
import { call } from '../api/client.ts';
import CopyOutDialog from './copy-out-dialog.vue';
import DeliverDialog from './deliver-dialog.vue';
import LicencesTold from './licences-told.vue';
import InlineWave from '../wave/inline-wave.vue';
import { brings, dragEntries, droppedEntries, leaves } from '../ui/dragged-sounds.ts';
import { counted, formatBytes, formatLength } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useAnswer } from '../ui/use-answer.ts';
import { useKeys } from '../ui/use-keys.ts';
import { useLive } from '../stores/live.ts';
import { usePlayer } from '../player/player-store.ts';
import { server } from '../ui/server.ts';
import { listTotals } from './list-totals.ts';
import { usePullEntries } from './use-pull-entries.ts';
import { usePullLists } from './pull-lists-store.ts';

/** One pull list: its sounds in order, each with its part, how it was tried out, and a comment. Entries are dragged to another place or list. */
const props = defineProps<{
  list: PullList;
  /** Keys act here. */
  active: boolean;
  /** Others stand beside it. */
  beside: boolean;
}>();
const emit = defineEmits<{ activate: []; close: []; removed: [] }>();

const player = usePlayer();
const live = useLive();
const pulls = usePullLists();
const {
  entries,
  isLoaded,
  current,
  chosen,
  comment,
  remove: removeEntries,
  choose,
  concerned,
  move,
  put,
} = usePullEntries(() => props.list.id, server, live);
/** Asked anew whenever other sounds stand in it. */
const { answer: licences } = useAnswer(
  () => props.list.id,
  (id) => call('listPullLicences', { params: { id } }),
  { dependsOn: () => entries.value.map(({ row }) => `${row.soundId} ${row.record.licence}`).join() },
);
const totals = computed(() => listTotals(entries.value));
const copyingOut = ref(false);
const delivering = ref(false);
/** Before which entry a drag would put what it brings: its place in the list, its length for the end. */
const dropAt = ref<number>();

async function rename(
  id: number,
  body: { name?: string; show?: string; scene?: string; notes?: string },
): Promise<void> {
  await showingErrors(async () => pulls.set(await call('updatePullList', { params: { id }, body })));
}

async function remove(): Promise<void> {
  const { id } = props.list;
  const now = await showingErrors(() => call('removePullList', { params: { id } }));
  if (!now) return;
  pulls.set(now);
  emit('removed');
}

function over(event: DragEvent, index: number): void {
  if (brings(event) !== 'entries') return;
  event.preventDefault();
  dropAt.value = index;
}

async function drop(event: DragEvent): Promise<void> {
  const at = dropAt.value;
  dropAt.value = undefined;
  if (at !== undefined) await put(droppedEntries(event), at);
}

/** A click makes an entry the current one; with Ctrl it is chosen, with Shift all up to it. */
function click(event: MouseEvent, index: number): void {
  const entry = entries.value[index];
  if (entry && event.shiftKey) choose(index, true, true);
  else if (entry && (event.ctrlKey || event.metaKey)) choose(index, !chosen.value.has(entry.id));
  else current.value = index;
}

/** The lists to which the chosen entries can go. */
const others = computed(() => pulls.list.filter(({ id }) => id !== props.list.id));

function play(index: number): boolean {
  const entry = entries.value[index];
  if (!entry) return false;
  current.value = index;
  player.show(entry.row, false);
  if (entry.part) {
    player.part = entry.part;
    player.playPart(entry.part);
  } else player.play();
  return true;
}

/** A key of this list, while it is the one that keys act in. */
const here =
  (act: (event: KeyboardEvent) => unknown) =>
  (event: KeyboardEvent): boolean => {
    if (props.active) act(event);
    return props.active;
  };
useKeys('pullList', {
  ArrowDown: here(({ shiftKey }) =>
    shiftKey ? move(current.value, 1) : play(Math.min(current.value + 1, entries.value.length - 1)),
  ),
  ArrowUp: here(({ shiftKey }) => (shiftKey ? move(current.value, -1) : play(Math.max(current.value - 1, 0)))),
  Enter: here(() => play(current.value)),
  Delete: here(() => entries.value.length > 0 && removeEntries(concerned())),
  c: here(() => {
    const entry = entries.value[current.value];
    if (entry) choose(current.value, !chosen.value.has(entry.id));
  }),
});
</script>

<template>
  <section
    class="entries"
    :class="{ active: active && beside, beside }"
    :aria-label="list.name"
    @mousedown="emit('activate')"
    @focusin="emit('activate')"
  >
    <header class="head">
      <draft-text
        class="name"
        :value="list.name"
        label="Name of the list"
        :about="list.id"
        :save="(name, id) => id !== undefined && rename(id, { name })"
      />
      <draft-text
        class="where"
        :value="list.show"
        placeholder="Show"
        label="Show"
        :about="list.id"
        :save="(show, id) => id !== undefined && rename(id, { show })"
      />
      <draft-text
        class="where"
        :value="list.scene"
        placeholder="Scene"
        label="Scene"
        :about="list.id"
        :save="(scene, id) => id !== undefined && rename(id, { scene })"
      />
      <span class="soft facts"
        >{{ counted(isLoaded ? entries.length : list.entries, 'sound')
        }}<template v-if="entries.length > 0">
          · {{ formatLength(totals.seconds) }} · {{ formatBytes(totals.bytes) }}</template
        ><template v-if="totals.repeated.size > 0">
          · <span class="twice">◆ {{ totals.repeated.size }} in more than once</span></template
        >{{ beside ? '' : ` · begun by ${list.person}` }}</span
      >
      <span class="spring" />
      <el-button
        tag="a"
        :href="entries.length === 0 ? undefined : `/api/pull-lists/${list.id}/report`"
        target="_blank"
        :disabled="entries.length === 0"
        >Print…</el-button
      >
      <el-button :disabled="entries.length === 0" @click="copyingOut = true">Copy out…</el-button>
      <el-button :disabled="entries.length === 0" @click="delivering = true">Deliver…</el-button>
      <el-popconfirm
        :title="`Remove the list “${list.name}”? The sounds stay where they are.`"
        confirm-button-text="Remove"
        @confirm="remove"
      >
        <template #reference><el-button>Remove…</el-button></template>
      </el-popconfirm>
      <el-button v-if="beside" :aria-label="`Close the list ${list.name}`" @click="emit('close')">✕</el-button>
    </header>
    <div class="notes">
      <draft-text
        :value="list.notes"
        placeholder="Notes: what the list is for, what is still to be found"
        label="Notes on the list"
        multiline
        :about="list.id"
        :save="(notes, id) => id !== undefined && rename(id, { notes })"
      />
      <router-link
        v-if="entries.length > 0"
        :to="{ path: '/catalogue', query: { q: `list:=${valueInLine(list.name)}` } }"
        >These sounds in the Catalogue</router-link
      >
    </div>
    <licences-told v-if="licences" class="licences" :licences="licences" :most="beside ? 1 : 3" />
    <copy-out-dialog v-model="copyingOut" :of="{ listId: list.id }" />
    <deliver-dialog v-model="delivering" :of="{ listId: list.id, name: list.name }" />
    <p
      v-if="isLoaded && entries.length === 0"
      class="empty soft"
      :class="{ target: dropAt === 0 }"
      @dragover="over($event, 0)"
      @dragleave="dropAt = undefined"
      @drop.prevent="drop"
    >
      Nothing pulled yet: <kbd>p</kbd> puts the sound that you hear into this list, from the Catalogue, Intake or a
      sound’s own page; rows of the Catalogue can be dragged onto a list.
    </p>
    <div v-if="chosen.size > 0" class="chosen" role="status">
      <strong>{{ chosen.size }} chosen</strong>
      <el-button size="small" @click="put(concerned(), 0)">To the top</el-button>
      <el-button size="small" @click="put(concerned(), entries.length)">To the end</el-button>
      <el-dropdown
        v-if="others.length > 0"
        trigger="click"
        :trigger-keys="['Enter', 'ArrowDown']"
        @command="(id: number) => pulls.take(concerned(), id)"
      >
        <el-button size="small">Into another list ▾</el-button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item v-for="each in others" :key="each.id" :command="each.id">{{
              each.name
            }}</el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
      <el-button size="small" title="Delete" @click="removeEntries(concerned())">Take off the list</el-button>
      <span class="spring" />
      <el-button
        size="small"
        :disabled="chosen.size === entries.length"
        @click="chosen = new Set(entries.map(({ id }) => id))"
        >All {{ entries.length }}</el-button
      >
      <el-button size="small" @click="chosen = new Set()">None</el-button>
    </div>
    <ol
      v-if="!isLoaded || entries.length > 0"
      class="rows"
      @dragleave="leaves($event) && (dropAt = undefined)"
      @dragend="dropAt = undefined"
      @drop.prevent="drop"
    >
      <li
        v-for="(entry, index) in entries"
        :key="entry.id"
        class="row"
        :class="{ current: index === current && active, chosen: chosen.has(entry.id), target: dropAt === index }"
        draggable="true"
        @click="click($event, index)"
        @dragstart="dragEntries($event, concerned(entry.id))"
        @dragover="over($event, index)"
      >
        <el-checkbox
          :model-value="chosen.has(entry.id)"
          :aria-label="`Choose ${entry.row.name}`"
          title="c"
          @click.stop
          @change="(on: unknown) => choose(index, on === true)"
        />
        <button type="button" class="play" :aria-label="`Play ${entry.row.name}`" @click="play(index)">▶</button>
        <inline-wave :sound-id="entry.row.soundId" />
        <div class="what">
          <router-link class="mono sound-name" :to="`/sound/${entry.row.soundId}?panel=try`" draggable="false">{{
            entry.row.name
          }}</router-link>
          <span class="soft">
            {{ entry.row.driveName }} ·
            {{
              entry.part
                ? `${formatLength(entry.part.from / entry.row.facts.sampleRateHz)} to ${formatLength(entry.part.to / entry.row.facts.sampleRateHz)}`
                : formatLength(entry.row.facts.durationSeconds)
            }}
            <template v-if="entry.tryOut">
              · <span class="tried">◇ {{ tryOutInWords(entry.tryOut) || 'as it is' }}</span></template
            ><template v-if="totals.repeated.has(entry.row.soundId)">
              · <span class="twice">◆ in {{ totals.repeated.get(entry.row.soundId) }} times</span></template
            >
          </span>
        </div>
        <draft-text
          class="comment"
          :value="entry.comment"
          placeholder="Comment"
          :label="`Comment on ${entry.row.name}`"
          :about="entry.id"
          :save="(text, id) => id !== undefined && comment(id, text)"
        />
        <span class="soft by">{{ entry.addedBy }}</span>
        <el-button
          :disabled="index === 0"
          :aria-label="`Move ${entry.row.name} up`"
          title="Shift+↑"
          @click.stop="move(index, -1)"
          >↑</el-button
        >
        <el-button
          :disabled="index === entries.length - 1"
          :aria-label="`Move ${entry.row.name} down`"
          title="Shift+↓"
          @click.stop="move(index, 1)"
          >↓</el-button
        >
        <a
          class="save"
          :href="`/api/pull-entries/${entry.id}/export`"
          download
          draggable="false"
          :aria-label="`Save ${entry.row.name} as a file`"
          >Save</a
        >
        <el-button :aria-label="`Take ${entry.row.name} off the list`" @click.stop="removeEntries([entry.id])"
          >✕</el-button
        >
      </li>
      <li
        class="end"
        :class="{ target: dropAt === entries.length }"
        aria-hidden="true"
        @dragover="over($event, entries.length)"
      />
    </ol>
  </section>
</template>

<style scoped>
.entries {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  border-left: 1px solid var(--hairline);
  background: var(--surface);
}

.entries.active {
  box-shadow: inset 0 3px 0 var(--lichen);
}

.head {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 48px;
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ground);
}

.beside .head {
  flex-wrap: wrap;
}

.head > * {
  margin: 0;
}

.facts {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

/* Of the fields that are drawn by draft-text. */
.head :deep(.name) {
  width: 200px;
}

.head :deep(.where) {
  width: 130px;
}

.beside .head :deep(.name) {
  flex: 2 1 130px;
}

.beside .head :deep(.where) {
  flex: 1 1 80px;
}

.spring {
  flex: 1;
}

.rows {
  flex: 1;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}

.row {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
}

.beside .row {
  flex-wrap: wrap;
}

.row > * {
  margin: 0;
}

.row.current {
  background: var(--selected);
  box-shadow: inset 3px 0 0 var(--lichen);
}

.row.chosen {
  background: var(--selected);
}

.licences {
  padding: 4px 12px;
  border-bottom: 1px solid var(--hairline);
}

.chosen[role='status'] {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  padding: 4px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ground);
}

.chosen[role='status'] > * {
  margin: 0;
}

.row.target,
.end.target {
  box-shadow: inset 0 3px 0 var(--ochre);
}

.empty.target {
  outline: 2px dashed var(--lichen);
}

.end {
  min-height: 40px;
}

.play {
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
}

.what {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-width: 0;
}

.what > * {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.sound-name {
  color: var(--ink);
}

.tried {
  color: var(--heather);
}

.twice {
  color: var(--ochre-ink);
}

.notes {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
}

.notes > :first-child {
  flex: 1 1 240px;
}

.row :deep(.comment) {
  width: 220px;
}

/* Two lines: what it is, then what is said of it and done with it. */
.beside .what {
  flex-basis: calc(100% - 150px);
}

.beside .row :deep(.comment) {
  flex: 1 1 100px;
}

.beside .by {
  display: none;
}

.empty {
  padding: 40px;
  text-align: center;
}
</style>

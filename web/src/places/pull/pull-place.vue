<script setup lang="ts">
import type { PullEntry } from '@flagstone/contract/listening';
import { tryOutInWords } from '@flagstone/core/audio/try-out/try-out';
import { ElButton, ElInput, ElPopconfirm } from 'element-plus';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../../api/client.ts';
import CopyOutDialog from '../../components/copy-out-dialog.vue';
import InlineWave from '../../components/inline-wave.vue';
import { counted, formatLength } from '../../composables/format.ts';
import { showingErrors } from '../../composables/use-errors.ts';
import { useKeys } from '../../composables/use-keys.ts';
import { useLive } from '../../stores/live.ts';
import { usePlayer } from '../../stores/player.ts';
import { usePullLists } from '../../stores/pull-lists.ts';

/** Pull lists: sounds for a show and scene, in order, each with its part, how it was tried out, and a comment. */
const route = useRoute();
const router = useRouter();
const player = usePlayer();
const live = useLive();
const pulls = usePullLists();
const entries = ref<PullEntry[]>([]);
const current = ref(0);
const name = ref('');
const copyingOut = ref(false);
const list = computed(() => pulls.list.find(({ id }) => id === Number(route.params['id'])) ?? pulls.chosen);

async function load(): Promise<void> {
  const id = list.value?.id;
  if (id === undefined) {
    entries.value = [];
    return;
  }
  await showingErrors(async () => {
    entries.value = await call('listPullEntries', { params: { id } });
  });
}
void pulls.load().then(load);
watch(() => list.value?.id, load);
onBeforeUnmount(live.onPullLists(() => void load()));

async function make(): Promise<void> {
  const wanted = name.value.trim();
  if (wanted === '') return;
  await showingErrors(async () => {
    pulls.set(await call('makePullList', { body: { name: wanted, show: '', scene: '' } }));
    name.value = '';
    await choose(pulls.list[0]?.id ?? 0);
  });
}

async function choose(id: number): Promise<void> {
  pulls.chosenId = id;
  await router.replace(`/pull/${id}`);
}

async function rename(change: { name?: string; show?: string; scene?: string }): Promise<void> {
  const { value: now } = list;
  if (!now) return;
  const body = { name: now.name, show: now.show, scene: now.scene, ...change };
  await showingErrors(async () => pulls.set(await call('updatePullList', { params: { id: now.id }, body })));
}

async function remove(): Promise<void> {
  const id = list.value?.id;
  if (id === undefined) return;
  await showingErrors(async () => pulls.set(await call('removePullList', { params: { id } })));
  await router.replace('/pull');
}

async function changeEntry(id: number, body: { comment?: string; before?: number | null }): Promise<void> {
  const now = await showingErrors(() => call('updatePullEntry', { params: { id }, body }));
  if (now) entries.value = now;
}

async function removeEntry(id: number): Promise<void> {
  const now = await showingErrors(() => call('removePullEntry', { params: { id } }));
  if (now) entries.value = now;
  current.value = Math.min(current.value, entries.value.length - 1);
}

/** Moves an entry up or down by one. */
async function move(index: number, by: -1 | 1): Promise<void> {
  const entry = entries.value[index];
  const target = entries.value[by < 0 ? index - 1 : index + 2];
  if (!entry || (by < 0 && index === 0) || (by > 0 && index === entries.value.length - 1)) return;
  await changeEntry(entry.id, { before: target?.id ?? null });
  current.value = index + by;
}

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

useKeys({
  ArrowDown: (event) =>
    void (event.shiftKey ? move(current.value, 1) : play(Math.min(current.value + 1, entries.value.length - 1))),
  ArrowUp: (event) => void (event.shiftKey ? move(current.value, -1) : play(Math.max(current.value - 1, 0))),
  Enter: () => play(current.value),
  Delete: () => {
    const entry = entries.value[current.value];
    if (entry) void removeEntry(entry.id);
  },
});
</script>

<template>
  <div class="pull">
    <aside class="lists" aria-label="Pull lists">
      <h2>Pull lists</h2>
      <button
        v-for="each in pulls.list"
        :key="each.id"
        type="button"
        class="one"
        :class="{ current: each.id === list?.id }"
        :aria-current="each.id === list?.id ? 'true' : undefined"
        @click="choose(each.id)"
      >
        <span>{{ each.name }}</span><span class="mono soft">{{ each.entries }}</span>
      </button>
      <form class="new" @submit.prevent="make">
        <el-input v-model="name" placeholder="New list" aria-label="Name of a new list" />
        <el-button native-type="submit" :disabled="name.trim() === ''">Make</el-button>
      </form>
    </aside>
    <section v-if="list" class="entries">
      <header class="head">
        <el-input
          class="name"
          :model-value="list.name"
          aria-label="Name of the list"
          @change="(value: string) => rename({ name: value })"
        />
        <el-input
          class="where"
          :model-value="list.show"
          placeholder="Show"
          aria-label="Show"
          @change="(value: string) => rename({ show: value })"
        />
        <el-input
          class="where"
          :model-value="list.scene"
          placeholder="Scene"
          aria-label="Scene"
          @change="(value: string) => rename({ scene: value })"
        />
        <span class="soft facts">{{ counted(entries.length, 'sound') }} · begun by {{ list.person }}</span>
        <span class="spring" />
        <el-button
          tag="a"
          :href="entries.length === 0 ? undefined : `/api/pull-lists/${list.id}/report`"
          target="_blank"
          :disabled="entries.length === 0"
          >Print…</el-button
        >
        <el-button :disabled="entries.length === 0" @click="copyingOut = true">Copy out…</el-button>
        <el-popconfirm
          :title="`Remove the list “${list.name}”? The sounds stay where they are.`"
          confirm-button-text="Remove"
          @confirm="remove"
        >
          <template #reference><el-button>Remove the list</el-button></template>
        </el-popconfirm>
      </header>
      <copy-out-dialog v-model="copyingOut" :of="{ listId: list.id }" />
      <p v-if="entries.length === 0" class="empty soft">
        Nothing pulled yet: <kbd>p</kbd> puts the sound that you hear into this list, from the Catalogue, Intake or a
        sound’s own page.
      </p>
      <ol v-else class="rows">
        <li
          v-for="(entry, index) in entries"
          :key="entry.id"
          class="row"
          :class="{ current: index === current }"
          @click="current = index"
        >
          <button type="button" class="play" :aria-label="`Play ${entry.row.name}`" @click="play(index)">▶</button>
          <inline-wave :sound-id="entry.row.soundId" />
          <div class="what">
            <router-link class="mono sound-name" :to="`/sound/${entry.row.soundId}?panel=try`">{{
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
              >
            </span>
          </div>
          <el-input
            class="comment"
            :model-value="entry.comment"
            placeholder="Comment"
            :aria-label="`Comment on ${entry.row.name}`"
            @change="(comment: string) => changeEntry(entry.id, { comment })"
          />
          <span class="soft">{{ entry.addedBy }}</span>
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
            :aria-label="`Save ${entry.row.name} as a file`"
            >Save</a
          >
          <el-button :aria-label="`Take ${entry.row.name} off the list`" @click.stop="removeEntry(entry.id)"
            >✕</el-button
          >
        </li>
      </ol>
    </section>
    <section v-else class="empty">
      <p>
        A pull list keeps what you found for a show or a scene, shared with everybody. Make one on the left, or press
        <kbd>p</kbd> on any sound.
      </p>
    </section>
  </div>
</template>

<style scoped>
.pull {
  display: grid;
  grid-template-columns: 220px minmax(0, 1fr);
  height: 100%;
}

.lists {
  display: flex;
  flex-direction: column;
  gap: 2px;
  padding: 12px;
  border-right: 1px solid var(--hairline);
}

.lists h2 {
  margin-bottom: 6px;
}

.one {
  display: flex;
  justify-content: space-between;
  padding: 5px 8px;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.one.current {
  background: var(--selected);
  box-shadow: inset 3px 0 0 var(--lichen);
}

.new {
  display: flex;
  gap: 4px;
  margin-top: 8px;
}

.entries {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--surface);
}

.head {
  display: flex;
  gap: 8px;
  align-items: center;
  height: 48px;
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--ground);
}

.head > * {
  margin: 0;
}

.facts {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.name {
  width: 200px;
}

.where {
  width: 130px;
}

.spring {
  flex: 1;
}

.rows {
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

.row > * {
  margin: 0;
}

.row.current {
  background: var(--selected);
  box-shadow: inset 3px 0 0 var(--lichen);
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

.comment {
  width: 220px;
}

.empty {
  padding: 40px;
  text-align: center;
}
</style>

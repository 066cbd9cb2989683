<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import { brings, droppedEntries } from '../ui/dragged-sounds.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { usePullLists } from '../delivery/pull-lists-store.ts';
import PullListView from '../delivery/pull-list.vue';

/** Pull lists: sounds for a show and scene, shared with everybody; several can stand beside each other. */
const MOST_OPEN = 3;

const route = useRoute();
const router = useRouter();
const pulls = usePullLists();
const name = ref('');
/** The list onto whose name something is dragged. */
const target = ref<number>();

/** The address names the open lists, so that a link shows a colleague the same; without any, the one that sounds go to. */
const open = computed(() => {
  const given = route.params['ids'];
  const ids = typeof given === 'string' && given !== '' ? given.split(',').map(Number) : [];
  const lists = ids.flatMap((id) => pulls.list.find((each) => each.id === id) ?? []);
  return lists.length > 0 ? lists : pulls.chosen ? [pulls.chosen] : [];
});
/** Where keys act: the list that sounds go to, when it is open. */
const activeId = computed(() =>
  open.value.some(({ id }) => id === pulls.chosenId) ? pulls.chosenId : open.value[0]?.id,
);
void pulls.load();

const show = (ids: readonly number[]): Promise<unknown> => router.replace(`/pull/${ids.join(',')}`);

async function make(): Promise<void> {
  const wanted = name.value.trim();
  if (wanted === '') return;
  await showingErrors(async () => {
    pulls.set(await call('makePullList', { body: { name: wanted, show: '', scene: '', notes: '' } }));
    name.value = '';
    await choose(pulls.list[0]?.id ?? 0);
  });
}

async function choose(id: number): Promise<void> {
  pulls.chosenId = id;
  if (!open.value.some((each) => each.id === id)) await show([id]);
}

/** Opens a list beside the others, or closes it. */
async function turn(id: number): Promise<void> {
  const ids = open.value.map((each) => each.id);
  await show(ids.includes(id) ? ids.filter((each) => each !== id) : [...ids, id].slice(-MOST_OPEN));
  if (!ids.includes(id)) pulls.chosenId = id;
}

function over(event: DragEvent, id: number): void {
  if (brings(event) !== 'entries') return;
  event.preventDefault();
  target.value = id;
}

/** Entries that are dropped onto a name go to the end of that list. */
async function drop(event: DragEvent, listId: number): Promise<void> {
  target.value = undefined;
  await pulls.take(droppedEntries(event), listId);
}
</script>

<template>
  <div class="pull">
    <aside class="lists" aria-label="Pull lists">
      <h2>Pull lists</h2>
      <div
        v-for="each in pulls.list"
        :key="each.id"
        class="one"
        :class="{ current: each.id === activeId, target: target === each.id }"
        @dragover="over($event, each.id)"
        @dragleave="target = undefined"
        @drop.prevent="drop($event, each.id)"
      >
        <button
          type="button"
          class="own"
          :aria-current="each.id === activeId ? 'true' : undefined"
          @click="choose(each.id)"
        >
          <span class="label">{{ each.name }}</span><span class="mono soft">{{ each.entries }}</span>
        </button>
        <button
          type="button"
          class="beside"
          :aria-pressed="open.some(({ id }) => id === each.id)"
          :disabled="open.length === 1 && open[0]?.id === each.id"
          :title="open.some(({ id }) => id === each.id) ? 'Close it' : 'Open it beside the others'"
          :aria-label="`${each.name} beside the others`"
          @click="turn(each.id)"
        >
          {{ open.some(({ id }) => id === each.id) ? '▣' : '▢' }}
        </button>
      </div>
      <form class="new" @submit.prevent="make">
        <el-input v-model="name" placeholder="New list" aria-label="Name of a new list" />
        <el-button native-type="submit" :disabled="name.trim() === ''">Make</el-button>
      </form>
    </aside>
    <div v-if="open.length > 0" class="open">
      <pull-list-view
        v-for="list in open"
        :key="list.id"
        :list="list"
        :active="list.id === activeId"
        :beside="open.length > 1"
        @activate="pulls.chosenId = list.id"
        @close="turn(list.id)"
        @removed="show(open.filter(({ id }) => id !== list.id).map(({ id }) => id))"
      />
    </div>
    <section v-else-if="pulls.isLoaded" class="empty">
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
}

.lists h2 {
  margin-bottom: 6px;
}

.one {
  display: flex;
}

.one.current {
  background: var(--selected);
  box-shadow: inset 3px 0 0 var(--lichen);
}

.one.target {
  outline: 2px dashed var(--lichen);
}

.one button {
  padding: 5px 8px;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}

.one button:disabled {
  cursor: default;
}

.own {
  display: flex;
  flex: 1;
  justify-content: space-between;
  min-width: 0;
  text-align: left;
}

.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.new {
  display: flex;
  gap: 4px;
  margin-top: 8px;
}

.open {
  display: flex;
  min-height: 0;
}

.empty {
  padding: 40px;
  text-align: center;
}
</style>

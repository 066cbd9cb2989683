<script setup lang="ts">
import type { Collection } from '@flagstone/contract/collections';
import { computed } from 'vue';
import { useCollections } from '../stores/collections.ts';
import { useSession } from '../stores/session.ts';

/** Which collections the catalogue shows, several at once; nothing chosen is all that are in use. Seen only where there are several. */
const props = defineProps<{ chosen: string }>();
const emit = defineEmits<{ choose: [chosen: string] }>();

const collections = useCollections();
const session = useSession();
void collections.load();

const ids = computed(() => new Set(props.chosen.split(',').filter(Boolean).map(Number)));
const mine = computed(() => collections.open.filter(({ people }) => people.some(isMe)));
const isMe = ({ personId, role }: Collection['people'][number]): boolean =>
  personId === session.personId && role !== 'listener';
const isMine = computed(() => mine.value.length === ids.value.size && mine.value.every(({ id }) => ids.value.has(id)));

const choose = (wanted: Iterable<number>): void => emit('choose', [...wanted].sort((a, b) => a - b).join(','));

function toggle(id: number): void {
  const wanted = new Set(ids.value);
  if (!wanted.delete(id)) wanted.add(id);
  choose(wanted);
}
</script>

<template>
  <section v-if="collections.list.length > 1" class="collections" aria-label="Collections">
    <h2>Collections</h2>
    <button
      v-if="mine.length > 0 && mine.length < collections.open.length"
      type="button"
      class="index-entry"
      :aria-pressed="isMine"
      @click="choose(isMine ? [] : mine.map(({ id }) => id))"
    >
      <span>{{ isMine ? '☑' : '☐' }} Those I work on</span>
    </button>
    <button
      v-for="each in collections.list"
      :key="each.id"
      type="button"
      class="index-entry"
      :class="{ current: ids.has(each.id) }"
      :aria-pressed="ids.has(each.id)"
      @click="toggle(each.id)"
    >
      <span>{{ ids.has(each.id) ? '☑' : '☐' }} {{ each.name }}{{ each.retired ? ' (retired)' : '' }}</span
      ><span class="count" :title="`${each.files} files`">{{ each.files.toLocaleString('en') }}</span>
    </button>
  </section>
</template>

<style scoped>
.collections {
  margin-bottom: 12px;
}
</style>

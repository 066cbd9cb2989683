<script setup lang="ts">
import { MOST_USES } from '@flagstone/contract/pull-lists';
import { onBeforeUnmount } from 'vue';
import { call } from '../api/client.ts';
import { useLive } from '../stores/live.ts';
import { counted, formatWhen } from '../ui/format.ts';
import { useAnswer } from '../ui/use-answer.ts';

/** Where, when and by whom a sound was used: pulled onto a list, or copied out. */
const props = defineProps<{ soundId: number }>();

const { answer: uses, load } = useAnswer(
  () => props.soundId,
  (id) => call('listUses', { params: { id } }),
);
onBeforeUnmount(useLive().onPullLists(() => void load()));
</script>

<template>
  <section v-if="uses" class="card-part" aria-label="Uses">
    <h2>Used</h2>
    <p v-if="uses.length === 0" class="soft">Never pulled onto a list, and never copied out.</p>
    <template v-else>
      <p v-if="uses.length > 1" class="soft">
        {{ uses.length < MOST_USES ? counted(uses.length, 'time') : `The last ${MOST_USES} times` }}, the latest first
      </p>
      <ul>
        <li v-for="(use, index) in uses" :key="index">
          <router-link v-if="use.list" :to="`/pull/${use.list.id}`">{{ use.list.name }}</router-link>
          <strong v-else-if="use.delivery !== ''">Delivered: {{ use.delivery }}</strong>
          <strong v-else>{{ use.folder === '' ? 'Copied out as a ZIP file' : `Copied to ${use.folder}` }}</strong>
          <span v-if="use.list && (use.list.show || use.list.scene)">{{
            [use.list.show, use.list.scene].filter((text) => text !== '').join(', ')
          }}</span>
          <div class="soft">{{ use.list ? 'pulled ' : '' }}by {{ use.person }}, {{ formatWhen(use.at) }}</div>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}

li {
  padding: 4px 0;
  overflow-wrap: anywhere;
}

li > span {
  margin-left: 8px;
}
</style>

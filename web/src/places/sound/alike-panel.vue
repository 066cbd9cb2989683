<script setup lang="ts">
import type { Api } from '@flagstone/contract/api';
import type { SoundRow } from '@flagstone/contract/record';
import type { z } from 'zod';
import { ref, watch } from 'vue';
import { call } from '../../api/client.ts';
import InlineWave from '../../components/inline-wave.vue';
import { formatLength } from '../../composables/format.ts';
import { showingErrors } from '../../composables/use-errors.ts';
import { usePlayer } from '../../stores/player.ts';

/** The nearest sounds by ear's measures; a click plays one, the link opens it. */
const props = defineProps<{ row: SoundRow }>();

type Alike = z.infer<Api['listAlike']['response']>;
const player = usePlayer();
const alike = ref<Alike>();

watch(
  () => props.row.soundId,
  async (id) => {
    alike.value = undefined;
    const found = await showingErrors(() => call('listAlike', { params: { id } }));
    if (id === props.row.soundId) alike.value = found ?? [];
  },
  { immediate: true },
);
</script>

<template>
  <div class="panel-body">
    <p v-if="!alike" class="soft">Looking for the nearest sounds…</p>
    <p v-else-if="alike.length === 0" class="soft">
      Nothing to compare with yet: sounds alike are found once sounds are measured and filed.
    </p>
    <ol v-else class="list">
      <li
        v-for="each in alike"
        :key="each.row.soundId"
        class="one"
        :class="{ current: player.row?.soundId === each.row.soundId }"
      >
        <button type="button" class="play" :aria-label="`Play ${each.row.name}`" @click="player.show(each.row, true)">
          ▶
        </button>
        <inline-wave :sound-id="each.row.soundId" />
        <div class="what">
          <router-link :to="`/sound/${each.row.soundId}`" class="mono name" :title="each.row.name">{{
            each.row.name
          }}</router-link>
          <span class="soft"
            >{{ formatLength(each.row.facts.durationSeconds) }} ·
            {{ each.shares.length > 0 ? `same ${each.shares.join(', ')}` : 'near in sound' }}</span
          >
        </div>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.panel-body {
  min-height: 0;
  padding: 10px 12px;
  overflow: auto;
}

.list {
  margin: 0;
  padding: 0;
  list-style: none;
}

.one {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 2px;
  border-bottom: 1px solid var(--hairline);
}

.one.current {
  background: var(--selected);
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

.name {
  overflow: hidden;
  color: var(--ink);
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>

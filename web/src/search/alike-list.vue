<script setup lang="ts">
import type { AlikeSound } from '@flagstone/contract/listening';
import { formatLength } from '../ui/format.ts';
import { usePlayer } from '../player/player-store.ts';
import InlineWave from '../wave/inline-wave.vue';

/** Sounds that are alike, the nearest first, each with what it shares; the button plays one, the link opens it. */
defineProps<{ alike: readonly AlikeSound[] }>();
const player = usePlayer();
</script>

<template>
  <ol class="list">
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
</template>

<style scoped>
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

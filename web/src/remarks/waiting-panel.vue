<script setup lang="ts">
import type { WaitingRemark } from '@flagstone/contract/remarks';
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { useWaiting } from '../stores/waiting.ts';
import { counted, formatWhen } from '../ui/format.ts';
import { piecesOf } from './use-remarks.ts';

/** What waits for whoever looks: remarks that name them, proposals of theirs that came back, proposals that they may decide. */
const mine = useWaiting();
const isEmpty = computed(() => Object.values(mine.counts).every((count) => count === 0));
const more = computed(() => mine.counts.remarks - (mine.waiting?.remarks.length ?? 0));
const pieces = ({ text, mentioned }: WaitingRemark) =>
  piecesOf(
    text,
    mentioned.map(({ name }) => name),
  );
</script>

<template>
  <section v-if="!isEmpty" class="panel" aria-label="Waiting for you">
    <h2>Waiting for you</h2>
    <ul>
      <li v-if="mine.counts.toReview > 0">
        ◇ <router-link to="/review">{{ counted(mine.counts.toReview, 'proposal') }} to review</router-link>
      </li>
      <li v-if="mine.counts.returned > 0">
        ◇ <router-link to="/review">{{ counted(mine.counts.returned, 'proposal') }} of yours came back</router-link>
      </li>
      <li v-for="remark in mine.waiting?.remarks" :key="remark.id" class="remark">
        <div class="line">
          <router-link :to="`/sound/${remark.soundId}?panel=remarks`" class="mono">{{ remark.name }}</router-link>
          <span class="soft">{{ remark.person }}, {{ formatWhen(remark.at) }}</span>
        </div>
        <p class="said">
          <component :is="piece.isName ? 'strong' : 'span'" v-for="(piece, at) in pieces(remark)" :key="at">{{
            piece.text
          }}</component>
        </p>
        <el-button
          size="small"
          class="act"
          :aria-label="`The remark on ${remark.name} is settled`"
          @click="mine.settle(remark.id)"
          >Settled</el-button
        >
      </li>
      <li v-if="more > 0" class="soft">and {{ counted(more, 'remark') }} more</li>
    </ul>
  </section>
</template>

<style scoped>
.panel {
  flex: none;
  padding: 10px 14px;
}

ul {
  max-height: 320px;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}

li {
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}

.remark {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 12px;
  align-items: center;
}

.line {
  display: flex;
  gap: 12px;
  align-items: baseline;
}

.said {
  margin: 2px 0 0;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

.act {
  grid-row: 1 / 3;
  grid-column: 2;
}
</style>

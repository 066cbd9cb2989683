<script setup lang="ts">
import type { MarkInput } from '@flagstone/contract/marks';
import type { SoundRow } from '@flagstone/contract/record';
import type { Selection } from '@flagstone/contract/selection';
import { ElInputTag } from 'element-plus';
import { computed } from 'vue';
import { meanRating } from '../ui/mean-rating.ts';
import { ownMark } from '../lists/use-sound-marks.ts';
import { useSession } from '../stores/session.ts';
import DraftText from '../ui/draft-text.vue';

/** What the person and the others think of one sound, or a rating for many: kept here, never written into files. */
const props = defineProps<{
  row: SoundRow | undefined;
  /** Marks what the list has selected, unless copies are named; false when that failed. */
  mark: (what: Omit<MarkInput, 'selection'>, words: string, selection?: Selection) => Promise<boolean>;
}>();

const session = useSession();
const own = computed(() => (props.row ? ownMark(props.row, session.personId) : undefined));
const mean = computed(() => (props.row ? meanRating(props.row) : null));
const others = computed(() => (props.row?.marks ?? []).filter(({ personId }) => personId !== session.personId));

function setTags(tags: string[]): void {
  const before = own.value?.tags ?? [];
  const addTags = tags.filter((tag) => !before.includes(tag));
  const removeTags = before.filter((tag) => !tags.includes(tag));
  void props.mark({ addTags, removeTags }, 'Tags');
}
</script>

<template>
  <section class="marks" aria-label="Marks">
    <h2>Marks</h2>
    <div class="line">
      <span class="label">My rating</span>
      <span role="group" aria-label="My rating">
        <button
          v-for="stars in 5"
          :key="stars"
          type="button"
          class="star"
          :class="{ on: (own?.rating ?? 0) >= stars }"
          :aria-label="`${stars} of 5`"
          :aria-pressed="own?.rating === stars"
          :title="`Alt+${stars}`"
          @click="mark({ rating: own?.rating === stars ? null : stars }, 'Rated')"
        >
          {{ (own?.rating ?? 0) >= stars ? '★' : '☆' }}
        </button>
      </span>
      <button
        type="button"
        class="star"
        :class="{ on: own?.favourite }"
        :aria-pressed="own?.favourite === true"
        title="b"
        @click="mark({ favourite: !own?.favourite }, 'Favourite')"
      >
        {{ own?.favourite ? '♥ Favourite' : '♡ Favourite' }}
      </button>
    </div>
    <p v-if="mean !== null" class="soft">
      Team: {{ mean }} of 5<template v-for="each in others" :key="each.personId"
        >, {{ each.person }} {{ each.rating ? '★'.repeat(each.rating) : '' }}{{ each.favourite ? ' ♥' : '' }}</template
      >
    </p>
    <div class="line">
      <span class="label">Tags</span>
      <el-input-tag
        :model-value="own?.tags ?? []"
        :placeholder="row ? 'Type, then Enter' : 'Add to all'"
        aria-label="Tags"
        :delimiter="/[,;]/"
        @update:model-value="(tags) => setTags((tags ?? []).map((tag) => tag.trim().toLowerCase()))"
      />
    </div>
    <div v-if="row" class="line">
      <span class="label">My note</span>
      <draft-text
        :value="own?.note ?? ''"
        label="My note"
        :multiline="true"
        placeholder=""
        :about="row.copyId"
        :save="(note, copyId) => copyId !== undefined && mark({ note }, 'Note', { kind: 'copies', copyIds: [copyId] })"
      />
    </div>
    <p v-if="row" class="soft">
      {{
        row.uses === 0
          ? 'Never used yet'
          : row.uses === 1
            ? 'Pulled or copied out once'
            : `Pulled or copied out ${row.uses} times`
      }}.
    </p>
  </section>
</template>

<style scoped>
.marks {
  padding: 8px 12px;
  border-bottom: 1px solid var(--hairline);
}

.line {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-top: 4px;
}

.line > :deep(.el-input-tag) {
  flex: 1;
}

.label {
  flex: 0 0 68px;
  color: var(--ink-soft);
}

.star {
  padding: 0 2px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  font: inherit;
  cursor: pointer;
}

.star.on {
  color: var(--ochre-ink);
}

p {
  margin: 4px 0 0;
}
</style>

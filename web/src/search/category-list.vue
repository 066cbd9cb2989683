<script setup lang="ts">
import type { CategoryCounts } from '@flagstone/contract/facets';
import { computed } from 'vue';

/**
 * Categories with their counts, the chosen one with its subcategories. A component of its own, so that it is not drawn anew with each letter of the search line,
 * but with the counts.
 */
const props = defineProps<{ counts: CategoryCounts['categories']; about: string; category: string; catId: string }>();
const emit = defineEmits<{ choose: [category: string, catId: string] }>();

const groups = computed(() => {
  const byCategory = new Map<string, { category: string; count: number; members: CategoryCounts['categories'] }>();
  for (const entry of props.counts) {
    const group = byCategory.get(entry.category) ?? { category: entry.category, count: 0, members: [] };
    group.count += entry.count;
    group.members.push(entry);
    byCategory.set(entry.category, group);
  }
  return [...byCategory.values()].sort(
    (a, b) => Number(a.category === '') - Number(b.category === '') || a.category.localeCompare(b.category),
  );
});
const total = computed(() => props.counts.reduce((sum, entry) => sum + entry.count, 0));
const isOpen = (category: string): boolean => props.category === category && category !== '';
</script>

<template>
  <button
    type="button"
    class="index-entry"
    :class="{ current: category === '' && catId === '' }"
    @click="emit('choose', '', '')"
  >
    <span>Everything</span><span class="count">{{ about }}{{ total.toLocaleString('en') }}</span>
  </button>
  <template v-for="group in groups" :key="group.category">
    <button
      v-if="group.category !== ''"
      type="button"
      class="index-entry"
      :class="{ current: isOpen(group.category) && catId === '' }"
      :aria-expanded="isOpen(group.category)"
      @click="emit('choose', group.category, '')"
    >
      <span>{{ isOpen(group.category) ? '▾' : '▸' }} {{ group.category }}</span
      ><span class="count">{{ about }}{{ group.count.toLocaleString('en') }}</span>
    </button>
    <p v-else class="index-entry soft">
      <span>No category yet</span><span class="count">{{ about }}{{ group.count.toLocaleString('en') }}</span>
    </p>
    <template v-if="isOpen(group.category)">
      <button
        v-for="member in group.members"
        :key="member.subCategory + member.catId"
        type="button"
        class="index-entry member"
        :class="{ current: catId === member.catId }"
        @click="emit('choose', group.category, catId === member.catId ? '' : member.catId)"
      >
        <span>{{ member.subCategory }}</span><span class="count"
          >{{ about }}{{ member.count.toLocaleString('en') }}</span
        >
      </button>
    </template>
  </template>
</template>

<style scoped>
.member {
  padding-left: 28px;
}
</style>

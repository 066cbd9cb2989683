<script setup lang="ts">
import type { Revision } from '@flagstone/contract/record';
import { FIELDS } from '@flagstone/core/record/fields';
import { computed } from 'vue';
import { formatValue } from '../ui/format.ts';

/** What a revision changed, field by field. */
const props = defineProps<{ revision: Pick<Revision, 'before' | 'after'> }>();

const changes = computed(() => {
  const { before, after } = props.revision;
  return FIELDS.filter(({ name }) => name in after).map(({ name, label }) => ({
    label,
    before: formatValue(before[name], '(empty)'),
    after: formatValue(after[name], '(empty)'),
  }));
});
</script>

<template>
  <dl>
    <template v-for="change in changes" :key="change.label">
      <dt>{{ change.label }}</dt>
      <dd>
        <del>{{ change.before }}</del> → <ins>{{ change.after }}</ins>
      </dd>
    </template>
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: minmax(72px, max-content) minmax(0, 1fr);
  gap: 2px 8px;
  margin: 4px 0 0;
}

dt {
  color: var(--ink-soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

del {
  color: var(--ink-soft);
}

ins {
  color: var(--lichen);
  text-decoration: none;
}
</style>

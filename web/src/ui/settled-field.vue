<script setup lang="ts">
import type { SettlingRow } from '@flagstone/contract/settling';
import { fieldLabel } from '@flagstone/core/record/fields';

/** What becomes of a field in which the record and another side differ. */
defineProps<{
  field: SettlingRow['fields'][number];
  /** What the other side is called, before what it says. */
  other: string;
  signs: Record<SettlingRow['fields'][number]['outcome'], string>;
}>();
</script>

<template>
  <div class="field" :class="field.outcome">
    <span class="soft">{{ fieldLabel(field.field) }}</span>
    <span v-if="field.outcome === 'taken'"
      ><del>{{ field.record || '(empty)' }}</del> → <ins>{{ field.becomes }}</ins></span
    >
    <span v-else>
      <span class="side">{{ field.record || '(empty)' }}</span>
      <span class="side" :class="{ dropped: field.outcome === 'kept' }"
        ><span class="soft other">{{ other }}</span
        >{{ field.file || '(empty)' }}</span
      >
    </span>
    <span class="sign">{{ signs[field.outcome] }}</span>
  </div>
</template>

<style scoped>
.field {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr) 170px;
  gap: 8px;
  overflow-wrap: anywhere;
}

.side {
  display: block;
}

.other {
  margin-right: 6px;
}

.sign {
  color: var(--ink-soft);
  white-space: nowrap;
}

.field.open .sign {
  color: var(--ochre-ink);
}

.field.taken .sign {
  color: var(--lichen);
}

del,
.dropped {
  color: var(--ink-soft);
}

ins {
  color: var(--lichen);
  text-decoration: none;
}
</style>

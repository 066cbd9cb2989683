<script setup lang="ts">
import type { FieldValues } from '@flagstone/contract/record';
import type { FieldName } from '@flagstone/core/record/fields';
import { computed } from 'vue';

/** The different values of a field with how many of the selected sounds say each; a button of its own gives one to all, or takes a keyword from all. */
const props = defineProps<{ values: FieldValues; field: FieldName; label: string; isList: boolean }>();
const emit = defineEmits<{ set: [value: string]; add: [word: string]; remove: [word: string] }>();

const SHOWN = 5;

const said = computed(() => props.values.fields[props.field]);
/** Where every sound says something of its own, the first few of them would tell nothing. */
const shown = computed(() => {
  const values = said.value?.values ?? [];
  return values.length > SHOWN && values[0]?.times === 1 ? [] : values.slice(0, SHOWN);
});
const hidden = computed(() => (said.value?.distinct ?? 0) - shown.value.length);
const empty = computed(() => (props.isList ? 0 : props.values.sounds - (said.value?.filled ?? 0)));
const isMixed = computed(
  () => said.value !== undefined && (props.isList || said.value.distinct > 1 || empty.value > 0),
);
</script>

<template>
  <ul v-if="isMixed" class="values" :aria-label="`Values of ${label}`">
    <li v-for="{ value, times } in shown" :key="value">
      <span class="value" :title="value">{{ value }}</span>
      <span class="soft">{{ times === values.sounds ? 'all' : times.toLocaleString('en') }}</span>
      <button
        v-if="times < values.sounds"
        type="button"
        class="in-line-button"
        :aria-label="isList ? `Add “${value}” to all` : `Set “${value}” for all`"
        @click="isList ? emit('add', value) : emit('set', value)"
      >
        {{ isList ? '+ all' : '→ all' }}
      </button>
      <button
        v-if="isList"
        type="button"
        class="in-line-button"
        :aria-label="`Remove “${value}” from all`"
        @click="emit('remove', value)"
      >
        ✕
      </button>
    </li>
    <li v-if="hidden > 0 && shown.length > 0" class="soft">and {{ hidden.toLocaleString('en') }} more</li>
    <li v-if="empty > 0" class="soft">empty {{ empty.toLocaleString('en') }}</li>
  </ul>
</template>

<style scoped>
.values {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  grid-column: 2;
  margin: 2px 0 4px;
  padding: 0;
  font-size: 12px;
  list-style: none;
}

li {
  display: inline-flex;
  gap: 4px;
  align-items: baseline;
  min-width: 0;
}

.value {
  overflow: hidden;
  max-width: 150px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>

<script setup lang="ts">
import { ElInput } from 'element-plus';
import { ref, useId, watch } from 'vue';

/** A text of the card: what is typed is a draft until the field is left or Enter is pressed; Escape takes it back. */
defineOptions({ inheritAttrs: false });
const props = defineProps<{
  value: string;
  label: string;
  multiline?: boolean;
  placeholder?: string;
  /** Names to complete from. */
  names?: string[];
}>();
const emit = defineEmits<{ save: [value: string] }>();

const draft = ref(props.value);
watch(
  () => props.value,
  (value) => (draft.value = value),
);

const listId = useId();
let cancelling = false;

/** Leaving the field makes the browser tell of a change; while cancelling it is none. */
function cancel(event: Event): void {
  cancelling = true;
  if (event.target instanceof HTMLElement) event.target.blur();
  cancelling = false;
  draft.value = props.value;
}

function save(value: string): void {
  if (!cancelling) emit('save', value);
}
</script>

<template>
  <!-- Plain, since Element Plus measures its own with each record, for which the browser has to lay everything out at once. -->
  <textarea
    v-if="multiline"
    v-model="draft"
    class="el-textarea__inner text"
    rows="2"
    :placeholder="placeholder"
    :aria-label="label"
    v-bind="$attrs"
    @change="save(draft)"
    @keydown.esc.stop="cancel"
  />
  <el-input
    v-else
    v-model="draft"
    :placeholder="placeholder"
    :aria-label="label"
    v-bind="names?.length ? { ...$attrs, list: listId } : $attrs"
    @change="save"
    @keydown.esc.stop="cancel"
  />
  <datalist v-if="names?.length" :id="listId">
    <option v-for="name in names" :key="name" :value="name" />
  </datalist>
</template>

<style scoped>
.text {
  min-height: 24px;
  max-height: calc(6 * 1.5em + 6px);
  padding: 3px 7px;
  font-size: 12px;
  /* Browsers that do not know this show two rows. */
  field-sizing: content;
}

.text:focus {
  box-shadow: inset 0 0 0 1px var(--lichen);
}
</style>

<script setup lang="ts" generic="About">
import { ElInput } from 'element-plus';
import { ref, useId, watch } from 'vue';
import { useReadOnly } from './read-only.ts';
import { TextDraft, type SaveText } from './text-draft.ts';

/**
 * A text that is edited in place: what is typed is a draft until the field is left or Enter is pressed; Escape takes it back. What a colleague saves meanwhile
 * is told, and never wipes what is being typed.
 */
defineOptions({ inheritAttrs: false });
const props = defineProps<{
  value: string;
  label: string;
  /** What the text is of; a draft that is still open when that changes is saved of what it was typed for. */
  about?: About;
  multiline?: boolean;
  placeholder?: string;
  /** Names to complete from. */
  names?: string[] | undefined;
  /** Called when the field is left. */
  save: SaveText<About>;
}>();

const draft = new TextDraft<About>(
  props.value,
  props.about,
  (value, about) => props.save(value, about),
  () => show(),
);
const text = ref(draft.text);
const theirs = ref<string>();
const hasFailed = ref(false);
function show(): void {
  text.value = draft.text;
  theirs.value = draft.theirs;
  hasFailed.value = draft.hasFailed;
}
watch(
  () => [props.value, props.about] as const,
  ([value, about]) => {
    draft.take(value, about);
    show();
  },
);

const isReadOnly = useReadOnly();
const listId = useId();
let cancelling = false;

function type(value: string): void {
  draft.type(value);
  show();
}

/** Leaving the field makes the browser tell of a change; while cancelling it is none. */
function cancel(event: Event): void {
  cancelling = true;
  if (event.target instanceof HTMLElement) event.target.blur();
  cancelling = false;
  draft.cancel();
  show();
}

function leave(): void {
  if (cancelling) return;
  draft.save();
  show();
}
</script>

<template>
  <!-- Plain, since Element Plus measures its own with each record, for which the browser has to lay everything out at once. -->
  <textarea
    v-if="multiline"
    :value="text"
    class="el-textarea__inner text"
    rows="2"
    :readonly="isReadOnly"
    :class="{ shown: isReadOnly }"
    :placeholder="placeholder"
    :aria-label="label"
    v-bind="$attrs"
    @input="(event) => type((event.target as HTMLTextAreaElement).value)"
    @change="leave"
    @keydown.esc.stop="cancel"
  />
  <el-input
    v-else
    :model-value="text"
    :placeholder="placeholder"
    :aria-label="label"
    v-bind="names?.length ? { ...$attrs, list: listId } : $attrs"
    @update:model-value="type"
    @change="leave"
    @keydown.esc.stop="cancel"
  />
  <!-- A field that is left again as it was tells of no change. -->
  <span v-if="hasFailed" class="theirs" role="status"
    >✕ Not saved yet. <button type="button" class="in-line-button" @click="leave">Save it</button></span
  >
  <span v-if="theirs !== undefined" class="theirs" role="status"
    >▲ Saved meanwhile by somebody else: “{{ theirs }}”. Esc takes theirs; leaving the field saves yours.</span
  >
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

.text.shown {
  background: var(--ground);
  color: var(--ink-soft);
}

.text:focus {
  box-shadow: inset 0 0 0 1px var(--lichen);
}

.theirs {
  grid-column: 1 / -1;
  color: var(--ochre);
  font-size: 11px;
}
</style>

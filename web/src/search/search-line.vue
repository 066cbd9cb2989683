<script setup lang="ts">
import type { Completion } from '@flagstone/contract/reading';
import { filterSchema } from '@flagstone/contract/selection';
import { begunTerm } from '@flagstone/core/query/begun-term';
import { searchFieldsLike, type SearchField } from '@flagstone/core/query/search-fields';
import { parseQuery } from '@flagstone/core/query/search-query';
import { useDebounceFn } from '@vueuse/core';
import { ElInput } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import { narrowingIn } from '../lists/list-filter.ts';
import { useAsking } from '../ui/use-asking.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useKeys } from '../ui/use-keys.ts';

/** The search line, with what a field could be asked for and how many sounds that finds. */
const route = useRoute();
const router = useRouter();
const field = ref<InstanceType<typeof ElInput>>();
const typed = ref('');
const focused = ref(false);
const REST_MS = 120;

/** What of a line is asked for: without a field at its end of which nothing is said yet, so that its values can be chosen among what the rest finds. */
function askedOf(line: string): string {
  const term = begunTerm(line);
  return term?.field && term.text === '' ? term.before : line;
}

// The address bar holds the words, so that a reload or a link shows the same list.
watch(
  () => route.query['q'],
  (q) => {
    const line = typeof q === 'string' ? q : '';
    if (askedOf(typed.value) !== line) typed.value = line;
  },
  { immediate: true },
);

/** What of the line cannot be read; nothing is asked for until it can. */
const faults = computed(() => parseQuery(typed.value, true).faults);
const begun = computed(() => begunTerm(typed.value));
/** Fields that the word which is being typed could become. */
const fields = computed(() =>
  begun.value && !begun.value.field && begun.value.text.length > 1 && faults.value.length === 0
    ? searchFieldsLike(begun.value.text).slice(0, 4)
    : [],
);

/** Values of the field that is being typed, and the one that the arrow keys chose. */
const values = ref<Completion[]>([]);
const chosen = ref(0);
const ask = useAsking();
const lookUp = useDebounceFn(async () => {
  const signal = ask();
  const q = typed.value;
  // A batch has values of its own, which are not counted.
  if (!begun.value?.field || !focused.value || route.path.startsWith('/intake/')) return;
  const { category, catId } = filterSchema.pick({ category: true, catId: true }).safeParse(route.query).data ?? {};
  const query = { ...narrowingIn(route.query), category, catId, q };
  const answer = await showingErrors(() => call('completeQuery', { query, signal }));
  if (signal.aborted || q !== typed.value) return;
  values.value = answer ?? [];
  chosen.value = 0;
}, REST_MS);
watch([typed, focused], () => {
  if (!begun.value?.field || !focused.value) values.value = [];
  void lookUp();
});

function takeField({ name }: SearchField): void {
  typed.value = `${begun.value?.before ?? ''}${name}:`;
  field.value?.focus();
}

function takeValue({ line }: Completion): void {
  typed.value = line;
  values.value = [];
  search(line);
  field.value?.focus();
}

/** Keys of the list of values while it is open, and Tab, which takes the first field that the word could become. */
function onKey(event: Event | KeyboardEvent): void {
  if (!(event instanceof KeyboardEvent)) return;
  const value = values.value[chosen.value];
  const [first] = fields.value;
  if (event.key === 'Escape') {
    if (values.value.length > 0) values.value = [];
    else field.value?.blur();
    return;
  }
  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    event.preventDefault();
    const step = event.key === 'ArrowDown' ? 1 : -1;
    if (values.value.length > 0) chosen.value = (chosen.value + step + values.value.length) % values.value.length;
    else if (step > 0) field.value?.blur();
    return;
  }
  if (value && (event.key === 'Enter' || (event.key === 'Tab' && !event.shiftKey))) takeValue(value);
  else if (first && event.key === 'Tab' && !event.shiftKey) takeField(first);
  else return;
  event.preventDefault();
}

/** With each letter: what is looked for in vain is told to stop. */
function search(line: string): void {
  const words = askedOf(line);
  if (parseQuery(words, true).faults.length > 0) return;
  const listPlace = route.path === '/catalogue' || route.path.startsWith('/intake/');
  // What was said of the words before (search as typed, words beside them) says nothing of others.
  const { q: _q, exact: _e, widen: _w, ...rest } = listPlace ? route.query : {};
  void router.replace({
    path: listPlace ? route.path : '/catalogue',
    query: words === '' ? rest : { ...rest, q: words },
  });
}

useKeys('search', { '/': () => field.value?.focus() });
</script>

<template>
  <div class="search-box">
    <el-input
      ref="field"
      v-model="typed"
      class="search"
      clearable
      role="combobox"
      aria-autocomplete="list"
      aria-controls="search-values"
      :aria-expanded="values.length > 0"
      :aria-activedescendant="values.length > 0 ? `search-value-${chosen}` : undefined"
      :placeholder="
        route.path.startsWith('/intake/')
          ? 'Search this batch: words, “a phrase”, -without, length:2..10'
          : 'Search the catalogue: words, “a phrase”, -without, length:2..10'
      "
      aria-label="Search"
      @input="search(typed)"
      @keydown="onKey"
      @focus="focused = true"
      @blur="focused = false"
    >
      <template #suffix><kbd v-if="typed === ''">/</kbd></template>
    </el-input>
    <div v-if="focused && values.length > 0" id="search-values" class="below values" role="listbox" aria-label="Values">
      <button
        v-for="(each, index) in values"
        :id="`search-value-${index}`"
        :key="each.term"
        type="button"
        role="option"
        class="value"
        :class="{ current: index === chosen }"
        :aria-selected="index === chosen"
        tabindex="-1"
        @mousedown.prevent="takeValue(each)"
      >
        <span class="label">{{ each.label }}</span>
        <kbd v-if="index === chosen">Tab</kbd>
        <span class="count mono soft">{{ each.isApproximate ? '≈' : '' }}{{ each.count.toLocaleString('en') }}</span>
      </button>
    </div>
    <div v-else-if="faults[0]" class="below fault" role="alert">
      ✕ {{ faults[0].message }}
      <span class="mono where" aria-hidden="true"
        >{{ typed.slice(Math.max(0, faults[0].at - 12), faults[0].at)
        }}<u>{{ typed.slice(faults[0].at, faults[0].at + faults[0].length) }}</u></span
      >
    </div>
    <div v-else-if="focused && fields.length > 0" class="below" role="note">
      <button
        v-for="(each, index) in fields"
        :key="each.name"
        type="button"
        class="in-line-button"
        tabindex="-1"
        @mousedown.prevent="takeField(each)"
      >
        {{ each.label }} <span class="mono soft">{{ each.example }}</span> <kbd v-if="index === 0">Tab</kbd>
      </button>
    </div>
  </div>
</template>

<style scoped>
.search-box {
  position: relative;
}

.below {
  position: absolute;
  z-index: 20;
  top: 34px;
  left: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  width: 440px;
  padding: 6px 8px;
  border: 1px solid var(--hairline);
  background: var(--surface);
  box-shadow: 0 4px 12px rgb(36 48 58 / 14%);
}

.values {
  flex-direction: column;
  flex-wrap: nowrap;
  gap: 0;
  padding: 4px 0;
}

.value {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 3px 10px;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.value.current,
.value:hover {
  background: var(--selected);
}

.label {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.fault {
  border-color: var(--iron);
  color: var(--iron);
}

.where {
  color: var(--ink);
}

.search {
  width: 440px;
}

.search :deep(.el-input__wrapper) {
  height: 30px;
}
</style>

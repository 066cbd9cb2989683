<script setup lang="ts">
import { Moon, Sunny } from '@element-plus/icons-vue';
import { ElButton, ElInput, ElOption, ElSelect, ElTooltip } from 'element-plus';
import { searchFieldsLike, type SearchField } from '@flagstone/core/query/search-fields';
import { parseQuery } from '@flagstone/core/query/search-query';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import JobsButton from './jobs-button.vue';
import { useKeys } from '../composables/use-keys.ts';
import { useLive } from '../stores/live.ts';
import { useSession } from '../stores/session.ts';

defineEmits<{ undo: []; help: [] }>();

const session = useSession();
const live = useLive();
const route = useRoute();
const router = useRouter();
const field = ref<InstanceType<typeof ElInput>>();
const typed = ref('');

// The address bar holds the words, so that a reload or a link shows the same list.
watch(
  () => route.query['q'],
  (q) => (typed.value = typeof q === 'string' ? q : ''),
  { immediate: true },
);

/** What of the line cannot be read; nothing is asked for until it can. */
const faults = computed(() => parseQuery(typed.value, true).faults);
/** The word that is being typed, when it could become a field. */
const begun = computed(() => /(?:^|[\s|-])([a-z]{2,})$/i.exec(typed.value)?.[1] ?? '');
const completions = computed(() =>
  begun.value === '' || faults.value.length > 0 ? [] : searchFieldsLike(begun.value).slice(0, 4),
);
const focused = ref(false);

/** Takes the first field that the typed word could become. */
function complete(event: Event): void {
  const [first] = completions.value;
  if (!first || !(event instanceof KeyboardEvent) || event.shiftKey) return;
  event.preventDefault();
  takeField(first);
}

function takeField({ name }: SearchField): void {
  typed.value = `${typed.value.slice(0, typed.value.length - begun.value.length)}${name}:`;
  field.value?.focus();
}

function search(words: string): void {
  if (faults.value.length > 0) return;
  const listPlace = route.path === '/catalogue' || route.path.startsWith('/intake/');
  // What was said of the words before (search as typed, words beside them) says nothing of others.
  const { q: _q, exact: _e, widen: _w, ...rest } = listPlace ? route.query : {};
  void router.replace({
    path: listPlace ? route.path : '/catalogue',
    query: words === '' ? rest : { ...rest, q: words },
  });
}

useKeys({ '/': () => field.value?.focus() });
</script>

<template>
  <header class="bar">
    <div class="search-box">
      <el-input
        ref="field"
        v-model="typed"
        class="search"
        clearable
        :placeholder="
          route.path.startsWith('/intake/')
            ? 'Search this batch: words, “a phrase”, -without, length:2..10'
            : 'Search the catalogue: words, “a phrase”, -without, length:2..10'
        "
        aria-label="Search"
        @input="search"
        @keydown.esc="field?.blur()"
        @keydown.down.prevent="field?.blur()"
        @keydown.tab="complete"
        @focus="focused = true"
        @blur="focused = false"
      >
        <template #suffix><kbd v-if="typed === ''">/</kbd></template>
      </el-input>
      <div v-if="faults[0]" class="below fault" role="alert">
        ✕ {{ faults[0].message }}
        <span class="mono where" aria-hidden="true"
          >{{ typed.slice(Math.max(0, faults[0].at - 12), faults[0].at)
          }}<u>{{ typed.slice(faults[0].at, faults[0].at + faults[0].length) }}</u></span
        >
      </div>
      <div v-else-if="focused && completions.length > 0" class="below" role="note">
        <button
          v-for="(each, index) in completions"
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
    <span v-if="!live.connected" class="offline" role="status">● Not connected</span>
    <span class="spring" />
    <jobs-button />
    <el-button @click="$emit('undo')">Undo <kbd class="key">u</kbd></el-button>
    <el-tooltip content="Keys">
      <el-button aria-label="Show the keys" @click="$emit('help')">?</el-button>
    </el-tooltip>
    <el-tooltip :content="session.night ? 'Daylight' : 'Night'">
      <el-button
        :icon="session.night ? Sunny : Moon"
        :aria-label="session.night ? 'Daylight colours' : 'Night colours'"
        @click="session.night = !session.night"
      />
    </el-tooltip>
    <el-select v-model="session.personId" class="person" aria-label="Who you are">
      <template #prefix
        ><span class="initials">{{ session.person?.initials }}</span></template
      >
      <el-option v-for="person in session.people" :key="person.id" :value="person.id" :label="person.name" />
    </el-select>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--surface);
}

.bar > * + * {
  margin-left: 0;
}

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

.spring {
  flex: 1;
}

.person {
  width: 150px;
}

.initials {
  color: var(--lichen);
  font-weight: 600;
}

.offline {
  color: var(--iron);
}

.key {
  margin-left: 6px;
}
</style>

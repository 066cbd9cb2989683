<script setup lang="ts">
import type { AuditEntry, AuditFilter } from '@flagstone/contract/audit';
import { ElButton, ElCheckbox, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { call } from '../api/client.ts';
import PickOne from '../ui/pick-one.vue';
import { formatWhen } from '../ui/format.ts';
import { useAsking } from '../ui/use-asking.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** What was done that concerns who may do what, and what left the house. Nobody can change it here. */
const filter = ref<AuditFilter>({ what: '', person: '', from: '', to: '', refused: '' });
const choices = ref<{ whats: string[]; people: string[] }>({ whats: [], people: [] });
const entries = shallowRef<AuditEntry[]>([]);
const next = ref<number | null>(null);
const isLoading = ref(true);
const ask = useAsking();

async function load(before?: number): Promise<void> {
  const signal = ask();
  isLoading.value = true;
  const query = { ...filter.value, ...(before === undefined ? {} : { before }) };
  const page = await showingErrors(() => call('listAudit', { query, signal }));
  if (signal.aborted) return;
  isLoading.value = false;
  if (!page) return;
  entries.value = before === undefined ? page.entries : [...entries.value, ...page.entries];
  next.value = page.next;
}
watch(filter, () => void load(), { deep: true, immediate: true });
void showingErrors(async () => {
  choices.value = await call('listAuditChoices');
});

const all = (word: string, values: string[]) => [
  { value: '', label: word },
  ...values.map((value) => ({ value, label: value })),
];
const csv = computed(() => {
  const given = Object.entries(filter.value).filter(([, value]) => value !== '');
  return `/api/audit.csv?${new URLSearchParams(given).toString()}`;
});
const isNarrowed = computed(() => Object.values(filter.value).some((value) => value !== ''));
</script>

<template>
  <p class="soft">
    Who signed in or was refused, people and rights, tokens, plans that ran, what was taken out, what was set up. Lines
    are added and never changed.
  </p>
  <div class="filters" role="search" aria-label="Narrow the audit log">
    <pick-one
      class="choice"
      label="What was done"
      placeholder="Everything"
      :value="filter.what"
      :choices="all('Everything', choices.whats)"
      @pick="(what) => (filter.what = what)"
    />
    <pick-one
      class="choice"
      label="By whom"
      placeholder="Everybody"
      :value="filter.person"
      :choices="all('Everybody', choices.people)"
      @pick="(person) => (filter.person = person)"
    />
    <label class="day">from <el-input v-model="filter.from" type="date" aria-label="First day" /></label>
    <label class="day">to <el-input v-model="filter.to" type="date" aria-label="Last day" /></label>
    <el-checkbox
      :model-value="filter.refused === 'only'"
      label="Refused only"
      @update:model-value="(on) => (filter.refused = on === true ? 'only' : '')"
    />
    <a class="el-button el-button--small" :href="csv" download="audit.csv">As CSV</a>
  </div>
  <p v-if="entries.length === 0 && !isLoading" class="soft">
    {{ isNarrowed ? 'Nothing of that kind was done.' : 'Nothing was done yet.' }}
  </p>
  <section v-else class="panel list">
    <table class="plain">
      <thead>
        <tr>
          <th>When</th>
          <th>Who</th>
          <th>What</th>
          <th>On what</th>
          <th>From</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in entries" :key="each.id">
          <td class="when" :title="each.happenedAt">{{ formatWhen(each.happenedAt) }}</td>
          <td>{{ each.person || (each.address === 'shell' ? 'at the shell' : 'nobody signed in') }}</td>
          <td :class="{ refused: each.refused }">{{ each.refused ? '✕ refused: ' : '' }}{{ each.what }}</td>
          <td class="about">{{ each.about }}</td>
          <td class="mono">{{ each.address }}</td>
        </tr>
      </tbody>
    </table>
    <el-button v-if="next !== null" class="more" :disabled="isLoading" @click="load(next)">Show earlier ones</el-button>
  </section>
</template>

<style scoped>
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin: 8px 0;
}

.choice {
  width: 180px;
}

.day {
  display: flex;
  gap: 6px;
  align-items: center;
}

.day .el-input {
  width: 140px;
}

.list {
  padding: 4px 14px;
}

.when {
  white-space: nowrap;
}

.about {
  overflow-wrap: anywhere;
}

.refused {
  color: var(--iron);
}

.more {
  margin: 8px 0;
}
</style>

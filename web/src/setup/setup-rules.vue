<script setup lang="ts">
import { RULE_FIELDS, type PathRule } from '@flagstone/contract/rules';
import { filterSchema } from '@flagstone/contract/selection';
import { fieldLabel } from '@flagstone/core/record/fields';
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { onBeforeUnmount, ref } from 'vue';
import { call } from '../api/client.ts';
import { useLive } from '../stores/live.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';

/** Rules that say of paths whose sounds these are: they fill empty fields on arrival, and again when asked. */
const rules = ref<PathRule[]>();
const pattern = ref('');
const field = ref<(typeof RULE_FIELDS)[number]>('library');
const value = ref('');
const sets = ref<PathRule['sets']>({});

async function load(): Promise<void> {
  await showingErrors(async () => {
    rules.value = await call('listPathRules');
  });
}
void load();
onBeforeUnmount(useLive().onAnything(() => void load()));

function addField(): void {
  sets.value = { ...sets.value, [field.value]: value.value.trim() };
  value.value = '';
}

async function add(): Promise<void> {
  if (value.value.trim() !== '') addField();
  await showingErrors(async () => {
    rules.value = await call('addPathRule', { body: { pattern: pattern.value, sets: sets.value } });
    pattern.value = '';
    sets.value = {};
  });
}

async function remove(id: number): Promise<void> {
  await showingErrors(async () => {
    rules.value = await call('removePathRule', { params: { id } });
  });
}

async function run(): Promise<void> {
  const selection = { kind: 'catalogue' as const, filter: filterSchema.parse({}) };
  const result = await showingErrors(() => call('runPathRules', { body: { selection } }));
  if (result)
    tell(
      `${counted(result.changed, 'record')} filled in`,
      'Each rule is a change of its own in the history; u takes them back together.',
    );
}

const inWords = (entries: PathRule['sets']): string =>
  Object.entries(entries)
    .map(([name, text]) => `${fieldLabel(name as never)}: ${text}`)
    .join(' · ');
</script>

<template>
  <p class="soft">
    A pattern on the path or the name, and what it says: <span class="mono">Canal Company/**</span> for a folder,
    <span class="mono">*_TPA*</span> for names anywhere. Rules run on what is new whenever a folder is read, in this
    order; only empty fields are filled, and the history of a record says which rule it was.
  </p>
  <form class="add panel" @submit.prevent="add">
    <el-input v-model="pattern" class="mono" placeholder="Pattern" aria-label="Pattern on the path" />
    <el-select v-model="field" :persistent="false" filterable aria-label="Field that is set">
      <el-option v-for="each in RULE_FIELDS" :key="each" :value="each" :label="fieldLabel(each)" />
    </el-select>
    <el-input v-model="value" placeholder="Value" aria-label="Value" @keydown.enter.prevent="addField" />
    <el-button :disabled="value.trim() === ''" @click="addField">One more field</el-button>
    <el-button
      type="primary"
      native-type="submit"
      :disabled="pattern.trim() === '' || (value.trim() === '' && Object.keys(sets).length === 0)"
      >Add the rule</el-button
    >
    <span v-if="Object.keys(sets).length > 0" class="soft">{{ inWords(sets) }}</span>
  </form>
  <p v-if="rules?.length === 0" class="soft">No rule yet.</p>
  <section v-else class="panel rules">
    <table class="plain">
      <thead>
        <tr>
          <th>Where the path is like</th>
          <th>These fields are filled</th>
          <th>By</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="rule in rules" :key="rule.id">
          <td class="mono">{{ rule.pattern }}</td>
          <td>{{ inWords(rule.sets) }}</td>
          <td>{{ rule.person }}</td>
          <td>
            <el-button size="small" :aria-label="`Remove the rule ${rule.pattern}`" @click="remove(rule.id)"
              >Remove</el-button
            >
          </td>
        </tr>
      </tbody>
    </table>
    <el-button @click="run">Run on the whole catalogue</el-button>
  </section>
</template>

<style scoped>
.add {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 8px 0;
  padding: 10px 14px;
}

.add .el-input,
.add .el-select {
  flex: 1 1 160px;
}

.rules {
  padding: 4px 14px 10px;
}
</style>

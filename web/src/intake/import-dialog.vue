<script setup lang="ts">
import { TABLE_FORMATS, type TableFormat } from '@flagstone/contract/exports';
import { importResultSchema, type ImportQuery, type ImportResult } from '@flagstone/contract/imports';
import { fieldLabel } from '@flagstone/core/record/fields';
import { ElButton, ElCheckbox, ElDialog } from 'element-plus';
import { ref, watch } from 'vue';
import { sendFile } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';

/** A table that was exported and edited elsewhere is brought back: first what differs, then one change that can be undone. */
const isOpen = defineModel<boolean>({ required: true });

const file = ref<File>();
const clears = ref(false);
const found = ref<ImportResult>();
const working = ref(false);

const formatOf = (name: string): TableFormat | undefined =>
  TABLE_FORMATS.find((format) => name.toLowerCase().endsWith(`.${format}`)) ??
  (name.toLowerCase().endsWith('.txt') ? 'tsv' : undefined);

async function send(apply: ImportQuery['apply']): Promise<ImportResult | undefined> {
  const chosen = file.value;
  const format = chosen && formatOf(chosen.name);
  if (!chosen || !format) return undefined;
  working.value = true;
  const query = new URLSearchParams({ format, apply, empty: clears.value ? 'clear' : 'keep' });
  const result = await showingErrors(() => sendFile(`/import?${query.toString()}`, chosen, importResultSchema));
  working.value = false;
  return result;
}

async function preview(): Promise<void> {
  found.value = undefined;
  found.value = await send('no');
}
watch(clears, () => file.value && void preview());

function choose(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0];
  if (file.value && !formatOf(file.value.name))
    tell('This is no table that can be read', 'Choose a file that ends in .csv, .tsv, .xlsx or .jsonl.');
  else void preview();
}

async function apply(): Promise<void> {
  const result = await send('yes');
  if (!result) return;
  isOpen.value = false;
  file.value = undefined;
  found.value = undefined;
  tell(`${counted(result.changed, 'sound')} changed`, 'u takes it back as one.');
}
</script>

<template>
  <el-dialog v-model="isOpen" title="Bring a table back" width="820">
    <p class="soft">
      A table that was exported here and edited in a spreadsheet. The sounds are found by audio digest, path or file
      name; nothing changes before you have seen what differs.
    </p>
    <p class="line">
      <input type="file" accept=".csv,.tsv,.txt,.xlsx,.jsonl" aria-label="The table" @change="choose" />
      <el-checkbox v-model="clears">An empty cell empties the field</el-checkbox>
    </p>
    <template v-if="found">
      <p role="status">
        {{ counted(found.rows, 'row') }}: <strong>{{ counted(found.changed, 'sound') }} would change</strong>,
        {{ found.unchanged.toLocaleString('en') }} are as they are<template v-if="found.problems > 0"
          >, <span class="fault">✕ {{ counted(found.problems, 'row') }} cannot be brought back</span></template
        >.
        <span class="soft">Fields: {{ found.fields.map(fieldLabel).join(', ') }}.</span>
        <span v-if="found.unknown.length > 0" class="note">
          ▲ Not known and left out: {{ found.unknown.join(', ') }}.</span
        >
      </p>
      <ul class="rows" tabindex="0" aria-label="Rows that differ">
        <li v-for="each in found.examples" :key="each.line">
          <span class="mono soft">{{ each.line }} {{ each.name }}</span>
          <span v-for="change in each.changes" :key="change.field" class="change">
            <span class="soft">{{ fieldLabel(change.field) }}</span> <del>{{ change.before || '(empty)' }}</del> →
            <ins>{{ change.after || '(empty)' }}</ins>
          </span>
          <span v-if="each.problem" class="fault">✕ {{ each.problem }}</span>
        </li>
      </ul>
    </template>
    <template #footer>
      <el-button @click="isOpen = false">Cancel</el-button>
      <el-button type="primary" :loading="working" :disabled="!found || found.changed === 0" @click="apply"
        >Change {{ found ? counted(found.changed, 'sound') : '' }}</el-button
      >
    </template>
  </el-dialog>
</template>

<style scoped>
.line {
  display: flex;
  gap: 16px;
  align-items: center;
}

.rows {
  max-height: 320px;
  margin: 0;
  padding: 0;
  overflow: auto;
  border: 1px solid var(--hairline);
  list-style: none;
}

li {
  padding: 4px 10px;
  border-bottom: 1px solid var(--hairline);
}

li > :first-child {
  display: block;
}

.change {
  margin-right: 16px;
}

ins {
  color: var(--lichen);
  text-decoration: none;
}

.fault {
  color: var(--iron);
}

.note {
  color: var(--ochre-ink);
}
</style>

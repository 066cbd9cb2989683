<script setup lang="ts">
import {
  columnLabel,
  EXPORT_COLUMNS,
  MOST_REPORT_COLUMNS,
  MOST_REPORTED,
  type ExportColumn,
  type ExportFormat,
} from '@flagstone/contract/exports';
import type { ListFilter, ListOrder, Selection } from '@flagstone/contract/selection';
import { useLocalStorage } from '@vueuse/core';
import { ElButton, ElCheckbox, ElCheckboxGroup, ElDialog, ElInput, ElRadio, ElRadioGroup } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { counted } from '../ui/format.ts';

/** Records as a table for a spreadsheet or a program: what is selected, or all that the search finds. */
const props = defineProps<{
  selection: Selection | undefined;
  filter: ListFilter;
  order: ListOrder;
  total: number;
  count: number;
}>();
const isOpen = defineModel<boolean>({ required: true });

const FORMATS: Record<ExportFormat, string> = {
  xlsx: 'Spreadsheet (XLSX)',
  csv: 'CSV',
  tsv: 'Tab-separated (TSV)',
  jsonl: 'JSON Lines',
  pdf: 'Report to print (PDF)',
  m3u8: 'Playlist (M3U8)',
  xspf: 'Playlist (XSPF)',
};
const format = useLocalStorage<ExportFormat>('flagstone.exportFormat', 'xlsx');
const columns = useLocalStorage<ExportColumn[]>('flagstone.exportColumns', [
  'audioDigest',
  'path',
  'name',
  'catId',
  'fxName',
  'description',
  'keywords',
  'library',
  'durationSeconds',
]);
const isPlaylist = computed(() => format.value === 'm3u8' || format.value === 'xspf');
const title = ref('');
/** Why a report of this cannot be made; empty when it can. */
const tooLong = computed(() => {
  if (format.value !== 'pdf') return '';
  const sounds = whole.value ? props.total : props.count;
  if (sounds > MOST_REPORTED)
    return `A report holds ${MOST_REPORTED.toLocaleString('en')} sounds at most: narrow the list, or export a table.`;
  return columns.value.length > MOST_REPORT_COLUMNS
    ? `A page has room for ${MOST_REPORT_COLUMNS} columns: take ${columns.value.length - MOST_REPORT_COLUMNS} away.`
    : '';
});
const whole = ref(false);
watch(isOpen, (open) => open && (whole.value = props.count === 0));
const what = computed<Selection | undefined>(() =>
  whole.value ? { kind: 'catalogue', filter: props.filter } : props.selection,
);
const request = computed(() =>
  JSON.stringify({
    selection: what.value,
    order: props.order,
    format: format.value,
    columns: EXPORT_COLUMNS.filter((column) => columns.value.includes(column)),
    ...(format.value === 'pdf' ? { title: title.value.trim() } : {}),
  }),
);
</script>

<template>
  <el-dialog v-model="isOpen" title="Export records" width="640">
    <!-- A form of the page itself, so that the browser writes the answer to disk as it comes, however long it is. -->
    <form method="post" action="/api/export" :target="format === 'pdf' ? '_blank' : undefined" @submit="isOpen = false">
      <input type="hidden" name="request" :value="request" />
      <el-radio-group v-model="whole" aria-label="What">
        <el-radio :value="false" :disabled="count === 0">{{ counted(count, 'sound') }} selected</el-radio>
        <el-radio :value="true">All {{ counted(total, 'sound') }} that the list finds</el-radio>
      </el-radio-group>
      <h3>Format</h3>
      <el-radio-group v-model="format" aria-label="Format">
        <el-radio v-for="(label, key) in FORMATS" :key="key" :value="key">{{ label }}</el-radio>
      </el-radio-group>
      <p v-if="isPlaylist" class="soft">
        The first copy of each sound by its full path, with its name and length: opens in a player on a machine where
        the drives lie at the same paths.
      </p>
      <el-input
        v-if="format === 'pdf'"
        v-model="title"
        class="title"
        placeholder="Title of the report"
        aria-label="Title of the report"
        maxlength="200"
      />
      <h3 v-if="!isPlaylist">Columns</h3>
      <el-checkbox-group v-if="!isPlaylist" v-model="columns" class="columns" aria-label="Columns">
        <el-checkbox v-for="column in EXPORT_COLUMNS" :key="column" :value="column">{{
          columnLabel(column)
        }}</el-checkbox>
      </el-checkbox-group>
      <p v-if="format === 'pdf'" class="soft" aria-live="polite">
        {{ tooLong || 'Opens beside this page as a PDF, to be looked at, printed or kept.' }}
      </p>
      <p v-else-if="!isPlaylist" class="soft">
        Keep the digest, the path or the file name among the columns when the table is to be brought back: by them the
        sounds are found again.
      </p>
      <p class="foot">
        <el-button @click="isOpen = false">Cancel</el-button>
        <el-button type="primary" native-type="submit" :disabled="!what || columns.length === 0 || tooLong !== ''"
          >Export</el-button
        >
      </p>
    </form>
  </el-dialog>
</template>

<style scoped>
.title {
  margin-top: 8px;
}

h3 {
  margin: 12px 0 4px;
  font-size: 13px;
}

.columns {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  max-height: 260px;
  overflow: auto;
}

.columns :deep(.el-checkbox) {
  height: 24px;
  margin: 0;
}

.foot {
  display: flex;
  justify-content: flex-end;
}
</style>

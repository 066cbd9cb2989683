<script setup lang="ts">
import type { Drive } from '@flagstone/contract/api';
import { ElInput, ElTabPane, ElTabs } from 'element-plus';
import { computed, ref } from 'vue';
import { call } from '../../api/client.ts';
import { formatBytes, formatWhen } from '../../composables/format.ts';
import { showingErrors } from '../../composables/use-errors.ts';
import { useCategories } from '../../stores/categories.ts';

const categories = useCategories();
const drives = ref<Drive[]>([]);
const roots = ref<string[]>([]);
const typed = ref('');
const found = computed(() => categories.list.search(typed.value, 1000));

void showingErrors(async () => {
  const [list, overview] = await Promise.all([call('listDrives'), call('getOverview')]);
  drives.value = list;
  roots.value = overview.roots;
});

const KNOWN_BY: Record<Drive['knownBy'], { word: string; hint: string }> = {
  marker: { word: 'Its marker', hint: 'A small file in its root; it is known again wherever it is mounted' },
  path: { word: 'Its path', hint: 'Flagstone may not write to its root, so mounted elsewhere it is a new drive' },
};
const STATES: Record<Drive['state'], string> = { here: '■ Here', away: '□ Away', readOnly: '▣ Read-only' };
</script>

<template>
  <div class="setup">
    <h1>Setup</h1>
    <el-tabs class="tabs">
      <el-tab-pane label="Drives">
        <p class="soft">
          A drive becomes known when a folder on it is read in Intake. Allowed roots at this start:
          <span class="mono">{{ roots.join(', ') || 'none' }}</span>. Start with <span class="mono">--root DIR</span> to
          allow more.
        </p>
        <table class="plain drives">
          <thead>
            <tr>
              <th>Drive</th>
              <th>State</th>
              <th>Path</th>
              <th class="number">Files</th>
              <th class="number">Size</th>
              <th class="number">Free</th>
              <th>Known by</th>
              <th>Last read</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="drive in drives" :key="drive.id">
              <td>
                <strong>{{ drive.name }}</strong>
              </td>
              <td>{{ STATES[drive.state] }}</td>
              <td class="mono">{{ drive.rootPath }}</td>
              <td class="number">{{ drive.copies }}</td>
              <td class="number">{{ formatBytes(drive.sizeBytes) }}</td>
              <td class="number">
                {{
                  drive.freeBytes === null || drive.capacityBytes === null
                    ? '–'
                    : `${formatBytes(drive.freeBytes)} of ${formatBytes(drive.capacityBytes)}`
                }}
              </td>
              <td :title="KNOWN_BY[drive.knownBy].hint">{{ KNOWN_BY[drive.knownBy].word }}</td>
              <td>{{ drive.lastIndexedAt ? formatWhen(drive.lastIndexedAt) : 'never' }}</td>
            </tr>
          </tbody>
        </table>
      </el-tab-pane>
      <el-tab-pane label="Category list">
        <p class="soft">
          Source: {{ categories.list.source }}. {{ categories.list.categories.length }} categories, written from memory
          of the published list and not yet held against it.
        </p>
        <el-input
          v-model="typed"
          class="search"
          clearable
          placeholder="Search: CatID, name or word"
          aria-label="Search the category list"
        />
        <div class="plain-scroll found panel">
          <table class="plain">
            <thead>
              <tr>
                <th>CatID</th>
                <th>Category</th>
                <th>SubCategory</th>
                <th>Meaning</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="category in found" :key="category.catId">
                <td class="mono">{{ category.catId }}</td>
                <td>{{ category.category }}</td>
                <td>{{ category.subCategory }}</td>
                <td>{{ category.meaning }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </el-tab-pane>
    </el-tabs>
  </div>
</template>

<style scoped>
.setup {
  height: 100%;
  padding: 12px 16px;
  overflow: auto;
}

.found {
  height: calc(100vh - 320px);
  padding: 0 12px;
}

.search {
  width: 320px;
  margin: 8px 0;
}
</style>

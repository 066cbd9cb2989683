<script setup lang="ts">
import { ElInput, ElTabPane, ElTabs } from 'element-plus';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useCategories } from '../../stores/categories.ts';
import SetupCollections from './setup-collections.vue';
import SetupDrives from './setup-drives.vue';
import SetupLost from './setup-lost.vue';
import SetupNames from './setup-names.vue';
import SetupRules from './setup-rules.vue';

const categories = useCategories();
/** Which part is shown stands in the address, so that other places can lead to it. */
const route = useRoute();
const router = useRouter();
const tab = computed({
  get: () => (typeof route.query['show'] === 'string' ? route.query['show'] : 'drives'),
  set: (show) => void router.replace({ query: { show } }),
});
const typed = ref('');
const found = computed(() => categories.list.search(typed.value, 1000));
</script>

<template>
  <div class="setup">
    <h1>Setup</h1>
    <el-tabs v-model="tab" class="tabs">
      <el-tab-pane label="Drives" name="drives"><setup-drives /></el-tab-pane>
      <el-tab-pane label="Collections" name="collections" lazy><setup-collections /></el-tab-pane>
      <el-tab-pane label="Path rules" name="rules" lazy><setup-rules /></el-tab-pane>
      <el-tab-pane label="Lists of names" name="names" lazy><setup-names /></el-tab-pane>
      <el-tab-pane label="Lost files" name="lost" lazy><setup-lost /></el-tab-pane>
      <el-tab-pane label="Category list" name="categories">
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

<script setup lang="ts">
import { ElInput, ElTabPane, ElTabs } from 'element-plus';
import { computed, ref } from 'vue';
import { useCategories } from '../../stores/categories.ts';
import SetupDrives from './setup-drives.vue';
import SetupLost from './setup-lost.vue';

const categories = useCategories();
const typed = ref('');
const found = computed(() => categories.list.search(typed.value, 1000));
</script>

<template>
  <div class="setup">
    <h1>Setup</h1>
    <el-tabs class="tabs">
      <el-tab-pane label="Drives"><setup-drives /></el-tab-pane>
      <el-tab-pane label="Lost files" lazy><setup-lost /></el-tab-pane>
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

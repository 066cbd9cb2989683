<script setup lang="ts">
import { ElTabPane, ElTabs } from 'element-plus';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import SetupAudit from '../setup/setup-audit.vue';
import SetupBackup from '../setup/setup-backup.vue';
import SetupCategories from '../setup/setup-categories.vue';
import SetupCollections from '../setup/setup-collections.vue';
import SetupDrives from '../setup/setup-drives.vue';
import SetupLost from '../setup/setup-lost.vue';
import SetupPeople from '../setup/setup-people.vue';
import SetupNames from '../setup/setup-names.vue';
import SetupRemoved from '../setup/setup-removed.vue';
import SetupRules from '../setup/setup-rules.vue';
import SetupWords from '../setup/setup-words.vue';
import ReadOnly from '../ui/read-only.vue';
import { useCollections } from '../stores/collections.ts';
import { useRights } from '../stores/rights.ts';

/** Which part is shown stands in the address, so that other places can lead to it. */
const route = useRoute();
const router = useRouter();
const rights = useRights();
const collections = useCollections();
void collections.load();
/** Names and rules are shared by all collections: who changes them is a librarian of all. */
const isOfHouse = computed(() =>
  rights.mayInAll(
    'librarian',
    collections.open.map(({ id }) => id),
  ),
);
const OF_HOUSE = 'all collections share this, so it is changed by librarians of all of them.';
const tab = computed({
  get: () => (typeof route.query['show'] === 'string' ? route.query['show'] : 'drives'),
  set: (show) => void router.replace({ query: { show } }),
});
</script>

<template>
  <div class="setup">
    <h1>Setup</h1>
    <el-tabs v-model="tab" class="tabs">
      <el-tab-pane label="Drives" name="drives"><setup-drives /></el-tab-pane>
      <el-tab-pane label="Collections" name="collections" lazy><setup-collections /></el-tab-pane>
      <el-tab-pane label="Path rules" name="rules" lazy>
        <read-only :on="!isOfHouse" :why="OF_HOUSE"><setup-rules /></read-only>
      </el-tab-pane>
      <el-tab-pane label="Lists of names" name="names" lazy>
        <read-only :on="!isOfHouse" :why="OF_HOUSE"><setup-names /></read-only>
      </el-tab-pane>
      <el-tab-pane label="Thesaurus" name="words" lazy><setup-words /></el-tab-pane>
      <el-tab-pane label="Lost files" name="lost" lazy><setup-lost /></el-tab-pane>
      <el-tab-pane label="Taken out" name="removed" lazy><setup-removed /></el-tab-pane>
      <el-tab-pane label="Category list" name="categories" lazy>
        <read-only :on="!rights.isAdministrator" why="another category list is taken by an administrator."
          ><setup-categories
        /></read-only>
      </el-tab-pane>
      <el-tab-pane v-if="rights.isAdministrator" label="People" name="people" lazy><setup-people /></el-tab-pane>
      <el-tab-pane v-if="rights.isAdministrator" label="Backup" name="backup" lazy><setup-backup /></el-tab-pane>
      <el-tab-pane v-if="rights.isAdministrator" label="Audit log" name="audit" lazy><setup-audit /></el-tab-pane>
    </el-tabs>
  </div>
</template>

<style scoped>
.setup {
  height: 100%;
  padding: 12px 16px;
  overflow: auto;
}
</style>

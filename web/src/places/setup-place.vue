<script setup lang="ts">
import { ElTabPane, ElTabs } from 'element-plus';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import SetupAudit from '../setup/setup-audit.vue';
import SetupCategories from '../setup/setup-categories.vue';
import SetupCollections from '../setup/setup-collections.vue';
import SetupDrives from '../setup/setup-drives.vue';
import SetupLost from '../setup/setup-lost.vue';
import SetupPeople from '../setup/setup-people.vue';
import SetupNames from '../setup/setup-names.vue';
import SetupRules from '../setup/setup-rules.vue';
import SetupWords from '../setup/setup-words.vue';
import { useSession } from '../stores/session.ts';

/** Which part is shown stands in the address, so that other places can lead to it. */
const route = useRoute();
const router = useRouter();
const session = useSession();
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
      <el-tab-pane label="Path rules" name="rules" lazy><setup-rules /></el-tab-pane>
      <el-tab-pane label="Lists of names" name="names" lazy><setup-names /></el-tab-pane>
      <el-tab-pane label="Thesaurus" name="words" lazy><setup-words /></el-tab-pane>
      <el-tab-pane label="Lost files" name="lost" lazy><setup-lost /></el-tab-pane>
      <el-tab-pane label="Category list" name="categories" lazy><setup-categories /></el-tab-pane>
      <el-tab-pane v-if="session.person?.isAdministrator" label="People" name="people" lazy
        ><setup-people
      /></el-tab-pane>
      <el-tab-pane v-if="session.person?.isAdministrator" label="Audit log" name="audit" lazy
        ><setup-audit
      /></el-tab-pane>
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

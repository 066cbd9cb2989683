<script setup lang="ts">
import type { Drive } from '@flagstone/contract/drives';
import type { Plan, PlanItem } from '@flagstone/contract/plans';
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, onBeforeUnmount, ref } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useLive } from '../stores/live.ts';

/** Says that all files below a folder stand below another one now: a plan that finds each by name and size, and can be taken back. */
const drives = ref<Drive[]>([]);
const driveId = ref('');
const folder = ref('');
const toPath = ref('');
const plan = ref<Plan>();
const faults = ref<PlanItem[]>([]);
const working = ref(false);
const counts = computed(() => plan.value?.counts);
const SHOWN = 20;

void showingErrors(async () => {
  drives.value = await call('listDrives');
});

async function look(): Promise<void> {
  working.value = true;
  await showingErrors(async () => {
    const body = { driveId: driveId.value, folder: folder.value, toPath: toPath.value };
    await show(await call('planRelocation', { body }));
  });
  working.value = false;
}

async function show(now: Plan): Promise<void> {
  plan.value = now;
  const { items } = await call('listPlanItems', { params: { id: now.id }, query: { limit: 1000 } });
  faults.value = items.filter((item) => item.problems.length > 0).slice(0, SHOWN);
}

async function run(which: 'runPlan' | 'undoPlan'): Promise<void> {
  const id = plan.value?.id;
  if (id === undefined) return;
  working.value = true;
  const job = await showingErrors(() =>
    which === 'runPlan' ? call('runPlan', { params: { id }, body: {} }) : call('undoPlan', { params: { id } }),
  );
  if (!job) working.value = false;
}

onBeforeUnmount(
  useLive().onJob((job) => {
    const id = plan.value?.id;
    if (id === undefined || job.planId !== id || job.state === 'waiting' || job.state === 'running') return;
    working.value = false;
    void showingErrors(async () => show(await call('getPlan', { params: { id } })));
  }),
);
</script>

<template>
  <section class="panel relocation">
    <h2>A whole folder stands elsewhere now</h2>
    <p class="soft">
      All copies below the folder are looked for below the other one, by their names and sizes. Nothing is read again,
      and no file is touched.
    </p>
    <form @submit.prevent="look">
      <el-select
        v-model="driveId"
        :persistent="false"
        placeholder="Drive"
        aria-label="Drive of the folder"
        class="drive"
      >
        <el-option v-for="drive in drives" :key="drive.id" :value="drive.id" :label="drive.name" />
      </el-select>
      <el-input v-model="folder" class="mono" placeholder="Folder on it, or nothing for all" aria-label="Folder" />
      <el-input v-model="toPath" class="mono" placeholder="/where/it/is/now" aria-label="Path where it is now" />
      <el-button native-type="submit" :loading="working" :disabled="driveId === '' || toPath.trim() === ''"
        >Look there</el-button
      >
    </form>
    <template v-if="counts">
      <p role="status" class="counts">
        <span v-if="counts.done > 0">✓ {{ counted(counts.done, 'copy', 'copies') }} took the new place.</span>
        <span v-if="counts.runnable > 0">○ {{ counted(counts.runnable, 'copy', 'copies') }} found there.</span>
        <span v-if="counts.unchanged > 0">■ {{ counts.unchanged.toLocaleString('en') }} stand there already.</span>
        <span v-if="counts.undone > 0">↶ {{ counts.undone.toLocaleString('en') }} back at the first place.</span>
        <span v-if="counts.blocked + counts.failed > 0"
          >✕ {{ (counts.blocked + counts.failed).toLocaleString('en') }} not found, or other files; they stay as they
          are.</span
        >
        <el-button v-if="counts.runnable > 0" type="primary" size="small" :loading="working" @click="run('runPlan')"
          >Take the new place of {{ counted(counts.runnable, 'copy', 'copies') }}</el-button
        >
        <el-button v-if="counts.done > 0" size="small" :loading="working" @click="run('undoPlan')">Undo</el-button>
      </p>
      <ul v-if="faults.length > 0">
        <li v-for="item in faults" :key="item.id" class="mono">✕ {{ item.problems[0]?.message }}</li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.relocation {
  margin-top: 12px;
  padding: 10px 14px;
}

form {
  display: flex;
  gap: 8px;
  margin: 8px 0;
}

.drive {
  flex: 0 0 200px;
}

.counts {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: center;
}

ul {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}
</style>

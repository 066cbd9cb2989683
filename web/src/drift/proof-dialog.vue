<script setup lang="ts">
import type { ProofTimes } from '@flagstone/contract/proof';
import { ElButton, ElDialog, ElSwitch } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { useRights } from '../stores/rights.ts';
import { formatDay } from '../ui/format.ts';
import { PACES } from '../ui/paces.ts';
import PickOne from '../ui/pick-one.vue';
import { showingErrors, tell } from '../ui/use-errors.ts';
import type { DriftDrive } from './drift-rows.ts';

/** Proving the files of a drive: once, now, or by itself at night. */
const props = defineProps<{ drive: DriftDrive | undefined }>();
const isOpen = defineModel<boolean>({ required: true });
const emit = defineEmits<{ changed: [] }>();

const rights = useRights();
const olderThanDays = ref(0);
const share = ref(50);
const isByItself = ref(false);
const times = ref<ProofTimes>({ everyDays: 90, fromHour: 22, toHour: 6, share: 50 });
const isBusy = ref(false);

watch(isOpen, (open) => {
  if (!open) return;
  const kept = props.drive?.proof ?? null;
  isByItself.value = kept !== null;
  if (kept !== null) times.value = { ...kept };
});

const AGES = [
  { value: 0, label: 'Every file' },
  ...[7, 30, 90, 365].map((days) => ({ value: days, label: `Files not proved for ${days} days` })),
];
const EVERY = [7, 30, 90, 180, 365].map((days) => ({ value: days, label: `every ${days} days` }));
const HOURS = Array.from({ length: 24 }, (_, hour) => ({ value: hour, label: `${String(hour).padStart(2, '0')}:00` }));
const isAllDay = computed(() => times.value.fromHour === times.value.toHour);

async function during(work: (driveId: string) => Promise<unknown>): Promise<boolean> {
  const { drive } = props;
  if (!drive) return false;
  isBusy.value = true;
  const done = await showingErrors(async () => {
    await work(drive.id);
    return true;
  });
  isBusy.value = false;
  return done ?? false;
}

async function prove(): Promise<void> {
  const body = { olderThanDays: olderThanDays.value, share: share.value };
  if (await during((driveId) => call('startProof', { body: { driveId, ...body } }))) isOpen.value = false;
}

async function keep(): Promise<void> {
  const proof = isByItself.value ? times.value : null;
  const isKept = await during((id) => call('updateDrive', { params: { id }, body: { proof } }));
  if (!isKept) return;
  emit('changed');
  tell(
    isByItself.value ? 'Its files are proved by themselves' : 'Its files are proved when somebody asks',
    props.drive?.name ?? '',
  );
}
</script>

<template>
  <el-dialog v-model="isOpen" :title="`Prove the files of ${drive?.name ?? ''}`" width="600">
    <p class="soft">
      Each file is read as a whole and held against what it held before, that first whose proof is the oldest ({{
        drive?.oldestProofAt ? formatDay(drive.oldestProofAt) : 'none yet'
      }}). Nothing is changed; whoever else works on the drive goes first.
    </p>
    <form class="line" @submit.prevent="prove">
      <pick-one
        class="age"
        :value="olderThanDays"
        :choices="AGES"
        label="Which files"
        @pick="(picked) => (olderThanDays = picked)"
      />
      <pick-one class="pace" :value="share" :choices="PACES" label="Pace" @pick="(picked) => (share = picked)" />
      <span class="spring" />
      <el-button type="primary" native-type="submit" :loading="isBusy">Prove now</el-button>
    </form>
    <form v-if="rights.isAdministrator" class="by-itself" @submit.prevent="keep">
      <h3>By itself</h3>
      <div class="line">
        <el-switch v-model="isByItself" aria-label="Prove the files by themselves" active-text="Prove each file" />
        <pick-one
          class="every"
          :value="times.everyDays"
          :choices="EVERY"
          :disabled="!isByItself"
          label="How often"
          @pick="(picked) => (times = { ...times, everyDays: picked })"
        />
        <pick-one
          class="pace"
          :value="times.share"
          :choices="PACES"
          :disabled="!isByItself"
          label="Pace by itself"
          @pick="(picked) => (times = { ...times, share: picked })"
        />
      </div>
      <div class="line">
        <span class="soft">Between</span>
        <pick-one
          class="hour"
          :value="times.fromHour"
          :choices="HOURS"
          :disabled="!isByItself"
          label="From"
          @pick="(picked) => (times = { ...times, fromHour: picked })"
        />
        <span class="soft">and</span>
        <pick-one
          class="hour"
          :value="times.toHour"
          :choices="HOURS"
          :disabled="!isByItself"
          label="To"
          @pick="(picked) => (times = { ...times, toHour: picked })"
        />
        <span class="soft">{{ isAllDay ? 'at any hour' : 'by the clock of the server' }}</span>
        <span class="spring" />
        <el-button native-type="submit" :loading="isBusy">Keep</el-button>
      </div>
    </form>
  </el-dialog>
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
}

.by-itself {
  margin-top: 16px;
  padding-top: 8px;
  border-top: 1px solid var(--hairline);
}

h3 {
  margin: 0;
  font-size: 13px;
}

.spring {
  flex: 1;
}

.age {
  width: 230px;
}

.pace {
  width: 170px;
}

.every {
  width: 130px;
}

.hour {
  width: 90px;
}
</style>

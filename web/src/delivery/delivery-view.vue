<script setup lang="ts">
import { deliveryTitle, type Delivery, type DeliveryItem, type KeptProfile } from '@flagstone/contract/deliveries';
import type { Job } from '@flagstone/contract/jobs';
import type { DeliveryProfile } from '@flagstone/core/delivery/profile';
import { useDebounceFn } from '@vueuse/core';
import {
  ElButton,
  ElCheckbox,
  ElDatePicker,
  ElDrawer,
  ElPopconfirm,
  ElProgress,
  ElRadioButton,
  ElRadioGroup,
} from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { call } from '../api/client.ts';
import { useLive } from '../stores/live.ts';
import DraftText from '../ui/draft-text.vue';
import FolderPicker from '../ui/folder-picker.vue';
import { counted, formatBytes, formatWhen } from '../ui/format.ts';
import MeasuredRows from '../ui/measured-rows.vue';
import PickOne from '../ui/pick-one.vue';
import { useAnswer } from '../ui/use-answer.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { stateOf, treeRows, type TreeRow } from './delivery-states.ts';
import { USES, USE_WORDS } from '@flagstone/core/licences/terms';
import DeliveryLicences from './delivery-licences.vue';
import ProfileForm from './profile-form.vue';
import { profileInWords } from './profile-words.ts';

/** One delivery: for whom, in which form, where to; the tree of what is made; and its making. */
const props = defineProps<{ id: number }>();
const emit = defineEmits<{ changed: []; removed: [] }>();
const live = useLive();

const { answer: delivery, load } = useAnswer(
  () => props.id,
  (id) => call('getDelivery', { params: { id } }),
);
const profiles = shallowRef<KeptProfile[]>([]);
void showingErrors(async () => void (profiles.value = await call('listDeliveryProfiles')));

const USE_CHOICES = USES.map((value) => ({ value, label: USE_WORDS[value] }));

type Shown = 'all' | 'toMake' | 'problems' | 'left';
const show = ref<Shown>('all');
const items = shallowRef<DeliveryItem[]>([]);
const next = ref<string | null>(null);
const isKnown = ref(false);
let asked = 0;
/** Loads the next page of the tree; or anew at least as many files as are on show, so that nobody is thrown back to the top. */
async function more(anew = false, atLeast = 0): Promise<void> {
  if (!anew && next.value === null) return;
  const turn = ++asked;
  let loaded = anew ? [] : items.value;
  let after = anew ? '' : next.value;
  do {
    const query = { after: after ?? '', show: show.value, limit: 200 };
    const page = await showingErrors(() => call('listDeliveryItems', { params: { id: props.id }, query }));
    if (turn !== asked || !page) return;
    loaded = [...loaded, ...page.items];
    after = page.next;
  } while (after !== null && loaded.length < atLeast);
  items.value = loaded;
  next.value = after;
  isKnown.value = true;
}
watch(
  () => [props.id, show.value, delivery.value?.plannedAt].join(),
  () => {
    isKnown.value = false;
    void more(true);
  },
  { immediate: true },
);
const rows = computed(() => treeRows(items.value));
const keyOf = (row: TreeRow): string => (row.kind === 'folder' ? `${row.path}/` : row.item.path);
const ROWS_AHEAD = 40;

const job = shallowRef<Job>();
const AGAIN_MS = 500;
const loadSoon = useDebounceFn(
  async () => {
    await load();
    await more(true, items.value.length);
    emit('changed');
  },
  AGAIN_MS,
  { maxWait: 2000 },
);
const isOwnJob = (each: Job): boolean =>
  each.kind === 'deliver' && delivery.value !== undefined && each.title === deliveryTitle(delivery.value);
onBeforeUnmount(
  live.onJob((each) => {
    if (!isOwnJob(each)) return;
    job.value = each;
    void loadSoon();
  }),
);
const isRunning = computed(() => job.value !== undefined && ['waiting', 'running', 'paused'].includes(job.value.state));
watch(
  () => props.id,
  () => (job.value = undefined),
);
// A page that was opened while it was made.
watch(delivery, async (now, before) => {
  if (!now || before?.id === now.id) return;
  const jobs = await showingErrors(() => call('listJobs'));
  job.value = jobs?.find((each) => isOwnJob(each) && each.finishedAt === null);
});

async function change(
  body: Partial<
    Pick<
      Delivery,
      'name' | 'forWhom' | 'use' | 'isCommercial' | 'show' | 'deadline' | 'folder' | 'profile' | 'profileName'
    >
  >,
): Promise<void> {
  const changed = await showingErrors(() => call('updateDelivery', { params: { id: props.id }, body }));
  if (!changed) return;
  await load();
  emit('changed');
}

const isLaying = ref(false);
async function lay(): Promise<void> {
  isLaying.value = true;
  await showingErrors(() => call('layDelivery', { params: { id: props.id } }));
  isLaying.value = false;
  await loadSoon();
}
/** Changes its form or place, and shows at once what that makes of it. */
async function changeAndLay(body: Parameters<typeof change>[0]): Promise<void> {
  await change(body);
  await lay();
}

async function run(onlyPath?: string): Promise<void> {
  const started = await showingErrors(() =>
    call('runDelivery', { params: { id: props.id }, body: onlyPath === undefined ? {} : { onlyPath } }),
  );
  if (!started) return;
  job.value = started;
  if (onlyPath !== undefined) tell('One is being made', onlyPath);
}
const firstToMake = computed(() => items.value.find(({ state }) => state === 'planned' || state === 'failed'));
const toMake = computed(() => {
  const counts = delivery.value?.counts;
  return counts ? counts.new + counts.changed + counts.failed : 0;
});
const hasRoom = computed(() => {
  const { freeBytes, counts } = delivery.value ?? {};
  return freeBytes === null || freeBytes === undefined || (counts?.bytes ?? 0) <= freeBytes;
});

async function remove(): Promise<void> {
  const left = await showingErrors(() => call('removeDelivery', { params: { id: props.id } }));
  if (left) emit('removed');
}

const picking = ref(false);
const shaping = ref(false);
const shaped = shallowRef<DeliveryProfile>();
function shape(): void {
  shaped.value = delivery.value?.profile;
  shaping.value = true;
}
async function useShaped(): Promise<void> {
  shaping.value = false;
  const { value: profile } = shaped;
  if (!profile) return;
  const same = profiles.value.find((each) => JSON.stringify(each.profile) === JSON.stringify(profile));
  await changeAndLay({ profile, profileName: same?.name ?? '' });
}
async function choose(name: string): Promise<void> {
  const kept = profiles.value.find((each) => each.name === name);
  if (kept) await changeAndLay({ profile: kept.profile, profileName: kept.name });
}
</script>

<template>
  <section v-if="delivery" class="view" :aria-label="delivery.name">
    <header class="head">
      <draft-text
        class="name"
        :value="delivery.name"
        label="Name of the delivery"
        :about="id"
        :save="(name) => change({ name })"
      />
      <draft-text
        class="whom"
        :value="delivery.forWhom"
        placeholder="For whom"
        label="For whom"
        :about="id"
        :save="(forWhom) => change({ forWhom })"
      />
      <el-date-picker
        :model-value="delivery.deadline"
        type="date"
        value-format="YYYY-MM-DD"
        placeholder="Due"
        aria-label="Due"
        class="due"
        @update:model-value="(day: string | null) => change({ deadline: day ?? '' })"
      />
      <span class="spring" />
      <el-popconfirm
        title="Forget this delivery? What was delivered stays where it is."
        confirm-button-text="Forget it"
        width="260"
        @confirm="remove"
      >
        <template #reference><el-button>Forget…</el-button></template>
      </el-popconfirm>
    </header>
    <dl class="facts">
      <dt>What</dt>
      <dd>
        {{ delivery.what
        }}<span class="soft"> · begun by {{ delivery.person }} on {{ formatWhen(delivery.createdAt) }}</span>
      </dd>
      <dt>Form</dt>
      <dd class="line">
        <pick-one
          class="chosen"
          :value="delivery.profileName === '' ? undefined : delivery.profileName"
          :choices="profiles.map((each) => ({ value: each.name, label: each.name }))"
          label="Form"
          placeholder="Its own"
          @pick="choose"
        />
        <el-button size="small" :disabled="isRunning" @click="shape">Change…</el-button>
        <span class="soft">{{ profileInWords(delivery.profile).join('  ·  ') }}</span>
      </dd>
      <dt>Use</dt>
      <dd class="line">
        <pick-one
          class="chosen"
          :value="delivery.use === '' ? undefined : delivery.use"
          :choices="USE_CHOICES"
          label="Use"
          placeholder="Not said yet"
          @pick="(use) => changeAndLay({ use })"
        />
        <el-checkbox
          :model-value="delivery.isCommercial"
          @update:model-value="(on) => changeAndLay({ isCommercial: on === true })"
          >commercial</el-checkbox
        >
        <draft-text
          class="whom"
          :value="delivery.show"
          placeholder="Show"
          label="Show"
          :about="id"
          :save="(show) => changeAndLay({ show })"
        />
        <span v-if="delivery.use === ''" class="caution">▲ Say what it is for, and licences are held to it.</span>
      </dd>
      <dt>Where to</dt>
      <dd class="line">
        <span class="mono">{{ delivery.folder }}</span>
        <el-button size="small" :disabled="isRunning" @click="picking = true">Choose…</el-button>
      </dd>
    </dl>
    <delivery-licences :delivery="delivery" @decided="loadSoon" />
    <div class="acts">
      <el-radio-group v-model="show" aria-label="Which files to show">
        <el-radio-button value="all">All {{ delivery.counts.files.toLocaleString('en') }}</el-radio-button>
        <el-radio-button value="toMake">To make {{ toMake.toLocaleString('en') }}</el-radio-button>
        <el-radio-button value="problems"
          >With something to tell
          {{ (delivery.counts.noticed + delivery.counts.blocked).toLocaleString('en') }}</el-radio-button
        >
        <el-radio-button v-if="delivery.counts.left > 0" value="left"
          >Part of it before {{ delivery.counts.left.toLocaleString('en') }}</el-radio-button
        >
      </el-radio-group>
      <span class="soft sum" :class="{ full: !hasRoom }" role="status">
        {{ counted(delivery.counts.folders, 'folder') }}, {{ formatBytes(delivery.counts.bytes) }}
        <template v-if="delivery.freeBytes !== null"> of {{ formatBytes(delivery.freeBytes) }} free there</template>
        <template v-if="!hasRoom"> ✕ no room</template>
      </span>
      <span class="spring" />
      <el-button :loading="isLaying" :disabled="isRunning" @click="lay">Look again</el-button>
      <el-button
        :disabled="isRunning || !firstToMake || delivery.profile.packing === 'zip'"
        @click="run(firstToMake?.path)"
        >Try one</el-button
      >
      <el-button
        type="primary"
        :disabled="
          isRunning || delivery.plannedAt === null || !hasRoom || delivery.counts.files === delivery.counts.blocked
        "
        @click="run()"
        >{{
          toMake === 0 && delivery.deliveredAt !== null
            ? 'Check what stands there'
            : `Deliver ${counted(toMake, 'file')}`
        }}</el-button
      >
    </div>
    <p v-if="delivery.plannedAt === null && !isLaying" class="caution">
      ◆ Its form or place was changed: look again, then deliver.
    </p>
    <div v-if="job && isRunning" class="job" role="status">
      <el-progress
        :percentage="job.total ? Math.round((100 * (job.done + job.failed)) / job.total) : 0"
        :stroke-width="6"
        :show-text="false"
        class="bar"
      />
      <span>{{ job.done.toLocaleString('en') }} of {{ (job.total ?? 0).toLocaleString('en') }} made</span>
      <el-button size="small" @click="showingErrors(() => call('cancelJob', { params: { id: job?.id ?? '' } }))"
        >Stop</el-button
      >
    </div>
    <p v-else-if="job && job.state === 'failed'" class="fault">✕ {{ job.error?.message }} {{ job.error?.remedy }}</p>
    <p v-else-if="job && job.failed > 0" class="fault">
      ✕ {{ counted(job.failed, 'file') }} failed: {{ job.failures[0]?.examples[0] }} {{ job.failures[0]?.remedy }}
    </p>
    <measured-rows
      :rows="rows"
      :key-of="keyOf"
      :estimate="28"
      label="Files of the delivery"
      @reached="(last) => last > rows.length - ROWS_AHEAD && more()"
    >
      <template #default="{ row }">
        <p v-if="row.kind === 'folder'" class="folder mono" :style="{ paddingLeft: `${row.depth * 18}px` }">
          ▾ {{ row.path.slice(row.path.lastIndexOf('/') + 1) }}
        </p>
        <div v-else class="file" :style="{ paddingLeft: `${row.depth * 18}px` }">
          <span class="state" :class="stateOf(row.item).kind"
            >{{ stateOf(row.item).sign }} {{ stateOf(row.item).word }}</span
          >
          <div class="names">
            <router-link class="mono" :to="`/sound/${row.item.soundId}`">{{ row.name }}</router-link>
            <span class="soft from" :title="row.item.from">from {{ row.item.from }}</span>
            <p
              v-for="problem in row.item.problems"
              :key="problem.code"
              :class="problem.severity === 'error' ? 'fault' : 'caution'"
            >
              {{ problem.severity === 'error' ? '✕' : '▲' }} {{ problem.message }}
            </p>
          </div>
          <span class="soft made">{{ row.item.made === '' ? 'as it is' : row.item.made }}</span>
          <span class="mono size">{{ formatBytes(row.item.bytes) }}</span>
        </div>
      </template>
      <template #empty>
        <p v-if="isKnown && items.length === 0" class="soft none">
          {{
            show === 'toMake'
              ? 'Everything is delivered as it is wanted.'
              : show === 'problems'
                ? 'Nothing to tell.'
                : 'No file.'
          }}
        </p>
      </template>
    </measured-rows>
    <folder-picker v-model="picking" @choose="(folder) => changeAndLay({ folder })" />
    <el-drawer v-model="shaping" direction="btt" size="430" title="Form of the delivery" destroy-on-close>
      <template v-if="shaped">
        <profile-form v-model="shaped" :name="delivery.profileName" @kept="(kept) => (profiles = kept)" />
      </template>
      <template #footer>
        <el-button @click="shaping = false">Cancel</el-button>
        <el-button type="primary" @click="useShaped">Use it, and look again</el-button>
      </template>
    </el-drawer>
  </section>
</template>

<style scoped>
.view {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-width: 0;
  min-height: 0;
  padding: 12px;
  border-left: 1px solid var(--hairline);
  background: var(--surface);
}

.head,
.acts,
.line,
.job {
  display: flex;
  gap: 8px;
  align-items: center;
}

.acts .el-button + .el-button {
  margin-left: 0;
}

.head :deep(.name) {
  width: 210px;
}

.head :deep(.whom),
.facts :deep(.whom) {
  width: 170px;
}

.head :deep(.due) {
  width: 150px;
}

.spring {
  flex: 1;
}

.facts {
  display: grid;
  grid-template-columns: 70px minmax(0, 1fr);
  gap: 6px 10px;
  align-items: center;
  margin: 0;
}

.facts dt {
  color: var(--ink-soft);
}

.facts dd {
  min-width: 0;
  margin: 0;
}

.chosen {
  flex: none;
  width: 190px;
}

.sum {
  white-space: nowrap;
}

.bar {
  flex: 1;
}

.folder {
  padding-block: 3px;
  font-weight: 600;
}

.file {
  display: grid;
  grid-template-columns: 112px minmax(0, 1fr) minmax(0, 200px) 76px;
  gap: 10px;
  padding-block: 2px;
}

.names {
  min-width: 0;
  overflow-wrap: anywhere;
}

.from {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.size {
  text-align: right;
}

.done {
  color: var(--lichen);
}

.caution,
.open {
  color: var(--ochre-ink);
}

.fault,
.full {
  color: var(--iron);
}

.none {
  padding: 16px;
}
</style>

<script setup lang="ts">
import type { Plan } from '@flagstone/contract/plans';
import type { SheetPart } from '@flagstone/contract/sheet-parts';
import type { Sheet, SheetItem, SheetWinner } from '@flagstone/contract/sheets';
import { ElButton, ElDrawer, ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { useRoute } from 'vue-router';
import { ApiError, call } from '../api/client.ts';
import PlanView from '../plans/plan-view.vue';
import SheetParts from '../sheets/sheet-parts.vue';
import { matchInWords, SIGNED_BY, stateInWords } from '../sheets/sheet-words.ts';
import { useLive } from '../stores/live.ts';
import { counted, formatWhen } from '../ui/format.ts';
import MeasuredRows from '../ui/measured-rows.vue';
import SettledField from '../ui/settled-field.vue';
import { useAnswer } from '../ui/use-answer.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';

/** A change sheet that came in: what it says, what was found for it here, and what records and names would become. */
const route = useRoute();
const live = useLive();
const id = computed(() => String(route.params['id']));
const { answer: sheet, load } = useAnswer<string, Sheet>(
  () => id.value,
  (of) => call('getSheet', { params: { id: of } }),
);

type Shown = 'all' | 'matched' | 'several' | 'none';
const show = ref<Shown>('matched');
const wins = ref<SheetWinner>('ours');
/** What is taken beside the records. */
const parts = ref<SheetPart[]>([]);
const items = shallowRef<SheetItem[]>([]);
const next = ref<number | null>(0);
/** Whether the lines are those of what is asked for now: before, none says nothing. */
const isKnown = ref(false);
let asked = 0;

/** Loads the next page, or begins anew. */
async function more(anew = false): Promise<void> {
  if (!anew && (next.value === null || next.value === 0)) return;
  const turn = ++asked;
  const after = anew ? 0 : (next.value ?? 0);
  const page = await showingErrors(() =>
    call('listSheetItems', { params: { id: id.value }, query: { after, show: show.value, wins: wins.value } }),
  );
  if (turn !== asked || !page) return;
  items.value = anew ? page.items : [...items.value, ...page.items];
  next.value = page.next;
  isKnown.value = true;
}
watch(
  () => [id.value, sheet.value?.state, show.value, wins.value].join(),
  () => {
    isKnown.value = false;
    if (sheet.value && sheet.value.state !== 'comparing') void more(true);
    else items.value = [];
  },
  { immediate: true },
);
onBeforeUnmount(
  live.onJob((job) => {
    if (job.kind !== 'sheet') return;
    void load();
    // A short one may be through before anybody saw the sheet being applied.
    if (job.finishedAt !== null) void more(true);
  }),
);
onBeforeUnmount(
  live.onRecords((ids) => {
    const isShown = ids.size === 0 || items.value.some(({ soundId }) => soundId !== null && ids.has(soundId));
    // While it is applied the rows change fifty at a time: they are asked for when it is through.
    if (!isShown || working.value) return;
    void load();
    void more(true);
  }),
);

const ROWS_AHEAD = 30;

const found = computed(() => (sheet.value ? sheet.value.counts.certain + sheet.value.counts.probable : 0));
const working = computed(() => sheet.value?.state === 'applying' || sheet.value?.state === 'comparing');
const takes = (item: SheetItem): boolean =>
  !item.applied && item.problem === null && item.fields.some(({ outcome }) => outcome === 'taken');

async function apply(onlyLine?: number): Promise<void> {
  const whole = { wins: wins.value, parts: parts.value };
  const body = onlyLine === undefined ? whole : { ...whole, parts: [], onlyLine };
  const job = await showingErrors(() => call('applySheet', { params: { id: id.value }, body }));
  if (!job) return;
  await load();
  tell(
    onlyLine === undefined ? 'The sheet is being applied' : 'Tried on one sound',
    'u takes all that it changed back as one.',
  );
}
function tryOne(): void {
  const first = items.value.find(takes);
  if (first) void apply(first.line);
}

const naming = ref(false);
/** The plan that the drawer opens with; made anew when it is asked for again. */
let firstPlan: Plan | undefined;
async function planNames(): Promise<Plan> {
  const made = firstPlan ?? (await call('planSheetNames', { params: { id: id.value } }));
  firstPlan = undefined;
  return made;
}
async function openNames(): Promise<void> {
  await showingErrors(async () => {
    firstPlan = await planNames().catch((error: unknown) => {
      if (!(error instanceof ApiError) || error.body.code !== 'NOTHING_SELECTED') throw error;
      tell('Nothing to rename', error.body.message);
      return undefined;
    });
    naming.value = firstPlan !== undefined;
  });
}

const SIGNS = {
  taken: '▸ taken from the sheet',
  kept: '◂ stays as it is here',
  open: '◆ both houses changed it',
} as const;
</script>

<template>
  <div class="sheet">
    <header class="head">
      <h1>Change sheet</h1>
      <router-link to="/drift">Drift</router-link>
    </header>
    <template v-if="sheet">
      <section class="panel facts" aria-label="What the sheet is">
        <p>
          <strong>{{ sheet.manifest.house.name || 'Another house' }}</strong>
          <span class="mono soft house">{{ sheet.manifest.house.id.slice(0, 8) }}</span>, made by
          {{ sheet.manifest.madeBy }} on {{ formatWhen(sheet.manifest.madeAt)
          }}<template v-if="sheet.manifest.forWhom !== ''"> for {{ sheet.manifest.forWhom }}</template
          >; {{ counted(sheet.counts.total, 'sound')
          }}{{ sheet.manifest.isUpdate ? ', what changed since the one before' : '' }}.
        </p>
        <p :class="{ caution: sheet.signedBy !== 'known' }">{{ SIGNED_BY[sheet.signedBy] }}</p>
        <p role="status">
          <strong>{{ stateInWords(sheet) }}</strong>
          <span>■ {{ sheet.counts.certain.toLocaleString('en') }} certain</span>
          <span>◇ {{ sheet.counts.probable.toLocaleString('en') }} probable</span>
          <span>◆ {{ sheet.counts.several.toLocaleString('en') }} of which several could be meant</span>
          <span>○ {{ sheet.counts.none.toLocaleString('en') }} not held here</span>
        </p>
      </section>
      <sheet-parts v-model="parts" :sheet="sheet" />
      <div class="acts">
        <el-radio-group v-model="show" aria-label="Which sounds to show">
          <el-radio-button value="matched">Found here</el-radio-button>
          <el-radio-button value="several">Several</el-radio-button>
          <el-radio-button value="none">Not held</el-radio-button>
          <el-radio-button value="all">All</el-radio-button>
        </el-radio-group>
        <span class="label">Where both changed a field:</span>
        <el-radio-group v-model="wins" aria-label="Where both houses changed a field">
          <el-radio-button value="ours">ours stays</el-radio-button>
          <el-radio-button value="theirs">theirs is taken</el-radio-button>
        </el-radio-group>
        <span class="spring" />
        <el-button :disabled="working || found === 0" @click="openNames">Names…</el-button>
        <el-button :disabled="working || !items.some(takes)" @click="tryOne">Try one</el-button>
        <el-button
          type="primary"
          :loading="sheet.state === 'applying'"
          :disabled="working || (found === 0 && parts.length === 0)"
          @click="apply()"
          >Apply to {{ counted(found, 'record') }}{{ parts.length > 0 ? ', and the rest' : '' }}</el-button
        >
      </div>
      <measured-rows
        :rows="items"
        :key-of="(item) => item.line"
        :estimate="52"
        label="Sounds of the sheet"
        @reached="(last) => last > items.length - ROWS_AHEAD && more()"
      >
        <template #default="{ row: item }">
          <p class="names">
            <router-link v-if="item.soundId !== null" :to="`/sound/${item.soundId}`" class="mono">{{
              item.path ?? item.theirName
            }}</router-link>
            <span v-else class="mono">{{ item.theirName }}</span>
            <span class="soft">{{ matchInWords(item) }}</span>
            <span v-if="item.applied" class="done">✓ applied</span>
          </p>
          <p v-if="item.newName" class="new-name">
            <span class="soft">Name</span> <span class="mono">→ {{ item.newName }}</span>
          </p>
          <settled-field v-for="each in item.fields" :key="each.field" :field="each" other="sheet" :signs="SIGNS" />
          <p v-if="item.problem" class="fault">✕ {{ item.problem }}</p>
        </template>
        <template #empty>
          <p v-if="sheet.state === 'comparing'" class="soft none">Being compared with what is held here…</p>
          <p v-else-if="!isKnown && items.length === 0" class="soft none">Reading the sheet…</p>
          <p v-else-if="items.length === 0" class="soft none">No sound of the sheet is so.</p>
        </template>
      </measured-rows>
      <el-drawer v-model="naming" direction="btt" size="88%" title="Names that the sheet gives" destroy-on-close>
        <plan-view
          v-if="naming"
          class="in-drawer"
          kind="rename"
          :selection="{ by: planNames }"
          what="Names after the sheet"
          :current-copy-id="0"
        />
      </el-drawer>
    </template>
  </div>
</template>

<style scoped>
.sheet {
  display: flex;
  flex-direction: column;
  gap: 12px;
  height: 100%;
  padding: 12px;
}

.head,
.acts {
  display: flex;
  gap: 12px;
  align-items: center;
}

.acts .el-button + .el-button {
  margin-left: 0;
}

.panel {
  padding: 10px 14px;
}

.facts p {
  display: flex;
  gap: 12px;
  padding: 2px 0;
}

.facts p:first-child {
  display: block;
}

.house {
  margin-left: 6px;
}

.caution {
  color: var(--ochre-ink);
}

.spring {
  flex: 1;
}

.names {
  display: flex;
  gap: 12px;
  overflow-wrap: anywhere;
}

.new-name {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  gap: 8px;
}

.done {
  color: var(--lichen);
}

.fault {
  color: var(--iron);
}

.none {
  padding: 16px;
}

.in-drawer {
  height: 100%;
}
</style>

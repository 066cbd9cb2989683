<script setup lang="ts">
import type { NewSettlingRule, SettlingRow, SettlingRuleKept } from '@flagstone/contract/settling';
import type { Selection } from '@flagstone/contract/selection';
import { FIELDS, fieldLabel } from '@flagstone/core/record/fields';
import { WINNERS } from '@flagstone/core/record/settle';
import { ElButton, ElDrawer } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useCollections } from '../stores/collections.ts';
import { useDriveNames } from '../stores/drive-names.ts';
import { useRights } from '../stores/rights.ts';
import { changedInWords } from '../ui/changed-in-words.ts';
import { counted } from '../ui/format.ts';
import MeasuredRows from '../ui/measured-rows.vue';
import SettledField from '../ui/settled-field.vue';
import PickOne from '../ui/pick-one.vue';
import { server } from '../ui/server.ts';
import { usePreview } from '../ui/use-preview.ts';
import { WINNER_WORDS } from './rule-words.ts';

/** Rules for who wins where record and file differ, and what they would make of each copy; tried on one, run on all. */
const props = defineProps<{ selection: Selection | undefined; what: string }>();
const isOpen = defineModel<boolean>({ required: true });
const emit = defineEmits<{ done: []; choose: [copyId: number] }>();

const rights = useRights();
const collections = useCollections();
const drives = useDriveNames();
const rules = ref<SettlingRuleKept[]>([]);
const running = ref(false);
/** The state of the database that the first page is of: what a colleague changes after it is left out of the run. */
let snapshot = '';

type Counts = Awaited<ReturnType<typeof server.call<'countSettling'>>>;
const wanted = computed(() => (isOpen.value ? props.selection : undefined));
const { rows, counts, fault, preview, needUpTo } = usePreview<Selection, SettlingRow, number, Counts>(
  wanted,
  {
    page: async (selection, from, signal) => {
      const page = await server.call('previewSettling', { body: { selection, afterCopyId: from ?? 0 }, signal });
      if (from === undefined) ({ snapshot } = page);
      return page;
    },
    count: (selection, signal) => server.call('countSettling', { body: { selection }, signal }),
  },
  server,
);

async function open(): Promise<void> {
  await Promise.all([
    drives.load(),
    collections.load(),
    server.attempt(async () => {
      rules.value = await server.call('listSettlingRules');
    }),
  ]);
}
watch(isOpen, (now) => void (now && open()), { immediate: true });
watch(
  () => JSON.stringify([wanted.value, rules.value.map(({ id, wins }) => [id, wins])]),
  () => void preview(),
  { immediate: true },
);

// A rule that is being made.
const field = ref<NewSettlingRule['field']>('any');
const wins = ref<NewSettlingRule['wins']>('record');
const scope = ref('all');
const fieldChoices = [
  { value: 'any' as const, label: 'Any field' },
  ...FIELDS.filter(({ kind, name }) => kind !== 'category' || name === 'catId').map(({ name, label }) => ({
    value: name,
    label,
  })),
];
const winnerChoices = WINNERS.map((value) => ({ value, label: WINNER_WORDS[value] }));
const scopes = computed(() => [
  { value: 'all', label: 'everywhere' },
  ...[...drives.drives].map(([id, name]) => ({ value: `drive ${id}`, label: `on ${name}` })),
  ...collections.list.map(({ id, name }) => ({ value: `collection ${id}`, label: `in ${name}` })),
]);
const scopeOf = ({ driveId, collectionId }: Pick<NewSettlingRule, 'driveId' | 'collectionId'>): string =>
  driveId !== null
    ? `on ${drives.nameOf(driveId)}`
    : collectionId !== null
      ? `in ${collections.nameOf(collectionId)}`
      : 'everywhere';
/** Rules are shared by all collections. */
const mayRule = computed(() =>
  rights.mayInAll(
    'librarian',
    collections.open.map(({ id }) => id),
  ),
);

async function keep(): Promise<void> {
  const [kind, id = ''] = scope.value.split(' ');
  const body: NewSettlingRule = {
    field: field.value,
    wins: wins.value,
    driveId: kind === 'drive' ? id : null,
    collectionId: kind === 'collection' ? Number(id) : null,
  };
  await server.attempt(async () => {
    rules.value = await server.call('keepSettlingRule', { body });
  });
}
async function forget(id: number): Promise<void> {
  await server.attempt(async () => {
    rules.value = await server.call('removeSettlingRule', { params: { id } });
  });
}

const canTake = (row: SettlingRow): boolean =>
  row.problem === null && row.fields.some(({ outcome }) => outcome === 'taken');
async function run(selection: Selection | undefined): Promise<void> {
  if (!selection) return;
  running.value = true;
  const result = await server.attempt(() =>
    server.call('runSettling', { body: { selection, asOf: { revisions: [], snapshot } } }),
  );
  running.value = false;
  if (!result) return;
  const left =
    result.leftOut > 0
      ? ` ${counted(result.leftOut, 'sound')} left as a colleague made ${result.leftOut === 1 ? 'it' : 'them'} meanwhile.`
      : '';
  server.tell(
    changedInWords(result),
    `u takes it back as one.${left} Write the files next: what the record says goes into them.`,
  );
  emit('done');
  await preview();
}
function tryOne(): void {
  const first = rows.value.find(canTake);
  if (first) void run({ kind: 'copies', copyIds: [first.copyId] });
}

const SIGNS: Record<SettlingRow['fields'][number]['outcome'], string> = {
  taken: '▸ taken from the file',
  kept: '◂ the record stays',
  open: '◆ choose on the card',
};
</script>

<template>
  <el-drawer v-model="isOpen" direction="btt" size="88%" :title="`What differs in ${what}`">
    <div class="settling">
      <section class="rules" aria-label="Rules">
        <p class="soft">
          What files alone say since is taken, keywords are merged; where record and file were both changed, a rule says
          who wins. Without one you choose on the card. What a program dropped from a file is never taken.
        </p>
        <ul>
          <li v-for="rule in rules" :key="rule.id">
            <span
              ><strong>{{ rule.field === 'any' ? 'Any field' : fieldLabel(rule.field) }}</strong
              >: {{ WINNER_WORDS[rule.wins] }} <span class="soft">{{ scopeOf(rule) }}, {{ rule.person }}</span></span
            >
            <button
              v-if="mayRule"
              type="button"
              class="in-line-button"
              :aria-label="`Forget the rule for ${rule.field === 'any' ? 'any field' : fieldLabel(rule.field)} ${scopeOf(rule)}`"
              @click="forget(rule.id)"
            >
              ✕
            </button>
          </li>
        </ul>
        <form v-if="mayRule" class="new" @submit.prevent="keep">
          <pick-one
            :value="field"
            :choices="fieldChoices"
            label="Field of the rule"
            @pick="(picked) => (field = picked)"
          />
          <pick-one :value="wins" :choices="winnerChoices" label="Who wins" @pick="(picked) => (wins = picked)" />
          <pick-one :value="scope" :choices="scopes" label="For which copies" @pick="(picked) => (scope = picked)" />
          <el-button size="small" native-type="submit">Keep the rule</el-button>
        </form>
      </section>
      <section class="preview" aria-label="What would become of each copy">
        <p class="line" role="status">
          <span v-if="fault" class="fault">✕ {{ fault }}</span>
          <template v-else-if="counts">
            <strong>{{ counted(counts.copies, 'file') }}</strong> changed elsewhere:
            {{ counted(counts.taken, 'record') }} would take something
            <span v-if="counts.open > 0" class="needs"
              >◆ {{ counted(counts.open, 'file') }} need{{ counts.open === 1 ? 's' : '' }} you</span
            >
            <span v-if="counts.problems > 0" class="fault">✕ {{ counted(counts.problems, 'record') }} cannot</span>
          </template>
          <span v-else class="soft">Comparing…</span>
          <span class="spring" />
          <el-button :disabled="running || !rows.some(canTake)" @click="tryOne">Try one</el-button>
          <el-button type="primary" :loading="running" :disabled="!counts || counts.taken === 0" @click="run(selection)"
            >Take into {{ counts ? counted(counts.taken, 'record') : 'records' }}</el-button
          >
        </p>
        <p v-if="counts && counts.copies === 0" class="soft none">
          Nothing differs here but what records say since: write the files.
        </p>
        <measured-rows
          :rows="rows"
          :key-of="(row) => row.copyId"
          :estimate="64"
          label="Copies with what differs"
          @reached="needUpTo"
        >
          <template #default="{ row }">
            <span class="name">
              <button type="button" class="link mono" @click="emit('choose', row.copyId)">{{ row.name }}</button>
              <span class="soft">{{ row.driveName }} / {{ row.folder }}</span>
            </span>
            <settled-field v-for="each in row.fields" :key="each.field" :field="each" other="file" :signs="SIGNS" />
            <p v-if="row.problem" class="fault">✕ {{ row.problem }}</p>
          </template>
        </measured-rows>
      </section>
    </div>
  </el-drawer>
</template>

<style scoped>
.settling {
  display: grid;
  grid-template-columns: 340px minmax(0, 1fr);
  gap: 16px;
  height: 100%;
}

.rules {
  overflow: auto;
}

ul {
  margin: 8px 0;
  padding: 0;
  list-style: none;
}

li {
  display: flex;
  gap: 8px;
  justify-content: space-between;
  padding: 4px 0;
  border-bottom: 1px solid var(--hairline);
}

.new {
  display: grid;
  gap: 6px;
}

.preview {
  display: flex;
  flex-direction: column;
  min-height: 0;
}

.line {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}

.line .el-button + .el-button {
  margin-left: 0;
}

.spring {
  flex: 1;
}

.none {
  padding: 8px 0;
}

.name {
  display: flex;
  gap: 8px;
}

.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--lichen);
  text-decoration: underline;
  cursor: pointer;
}

.needs {
  color: var(--ochre-ink);
}

.fault {
  color: var(--iron);
}
</style>

<script setup lang="ts">
import type { Batch, BatchSplit, SplitPart } from '@flagstone/contract/intake';
import type { Selection } from '@flagstone/contract/selection';
import { ElButton, ElDialog, ElDropdown, ElDropdownItem, ElDropdownMenu, ElInput, ElMessageBox } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import PickOne from '../ui/pick-one.vue';
import ValueNumber from '../ui/value-number.vue';
import { asked } from '../ui/asked.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useCollections } from '../stores/collections.ts';
import { useSession } from '../stores/session.ts';

/** What is done with a batch as such: named, given to somebody, split, its rows moved, folded back. */
const props = defineProps<{ batch: Batch; selection: Selection | undefined; selected: number }>();
const emit = defineEmits<{ changed: [] }>();

const router = useRouter();
const session = useSession();
const collections = useCollections();
void collections.load();
const id = computed(() => props.batch.id);
const isOpen = computed(() => props.batch.filedAt === null);

type Command = 'rename' | 'give' | 'split' | 'move' | 'fold';
function choose(command: Command): void {
  if (command === 'rename') void rename();
  else if (command === 'fold') void fold();
  else dialog.value = command;
}
const dialog = ref<'give' | 'split' | 'move'>();

async function rename(): Promise<void> {
  const name = await asked(
    'What the batch is called; no file changes.',
    'Rename the batch',
    props.batch.name,
    'Rename',
  );
  if (name === undefined) return;
  await showingErrors(() => call('updateBatch', { params: { id: id.value }, body: { name } }));
  emit('changed');
}

async function fold(): Promise<void> {
  const { partOf, counts } = props.batch;
  if (!partOf) return;
  const question = `${counted(counts.all, 'sound')} go back into “${partOf.name}”, and this batch is listed no more. Nothing that was described is lost.`;
  const options = { confirmButtonText: 'Fold it back', cancelButtonText: 'Leave it' };
  const isSure = await ElMessageBox.confirm(question, 'Fold back', options).catch(() => undefined);
  if (!isSure) return;
  const done = await showingErrors(() => call('foldBatch', { params: { id: id.value } }));
  if (done) await router.push(`/intake/${done.id}`);
}

/** 0 is whoever comes. */
const people = computed(() => {
  const here = collections.list.find(({ id: each }) => each === props.batch.collectionId)?.people ?? [];
  const roles = new Map(here.map(({ personId, role }) => [personId, role]));
  const able = session.people.filter((person) => ['assistant', 'librarian'].includes(roles.get(person.id) ?? ''));
  return [
    { value: 0, label: 'Whoever comes' },
    ...able.map((person) => ({ value: person.id, label: `${person.name}, ${roles.get(person.id) ?? ''}` })),
  ];
});
async function give(personId: number): Promise<void> {
  const givenTo = personId === 0 ? null : personId;
  const done = await showingErrors(() => call('updateBatch', { params: { id: id.value }, body: { givenTo } }));
  if (!done) return;
  dialog.value = undefined;
  tell(done.givenTo ? `Given to ${done.givenTo.name}` : 'Given to whoever comes');
  emit('changed');
}

const WAYS: { value: BatchSplit['by']; label: string }[] = [
  { value: 'folder', label: 'By folder' },
  { value: 'type', label: 'By type of file' },
  { value: 'length', label: 'By length' },
  { value: 'number', label: 'By number of files' },
];
const split = ref<BatchSplit>({ by: 'folder', size: 100 });
const parts = shallowRef<SplitPart[]>();
const isBusy = ref(false);
watch([dialog, split], async () => {
  if (dialog.value !== 'split') return;
  const body = split.value;
  const found = await showingErrors(() => call('previewSplit', { params: { id: id.value }, body }));
  if (split.value === body) parts.value = found;
});
async function splitIt(): Promise<void> {
  isBusy.value = true;
  const made = await showingErrors(() => call('splitBatch', { params: { id: id.value }, body: split.value }));
  isBusy.value = false;
  if (!made) return;
  dialog.value = undefined;
  tell(
    `Split into ${counted(made.length, 'batch', 'batches')}`,
    'Each of the new ones can be folded back from its own page.',
  );
  emit('changed');
}

/** 0 is a new one. */
const target = ref(0);
const newName = ref('');
const others = shallowRef<Batch[]>([]);
watch(dialog, async (open) => {
  if (open !== 'move') return;
  target.value = 0;
  newName.value = '';
  const all = (await showingErrors(() => call('listBatches'))) ?? [];
  others.value = all.filter(
    (each) => each.filedAt === null && each.id !== id.value && each.collectionId === props.batch.collectionId,
  );
});
const targets = computed(() => [
  { value: 0, label: 'A new batch' },
  ...others.value.map((each) => ({ value: each.id, label: `${each.name} (${each.counts.all.toLocaleString('en')})` })),
]);
async function move(): Promise<void> {
  const { selection } = props;
  if (!selection) return;
  isBusy.value = true;
  const to = target.value === 0 ? { name: newName.value.trim() } : { batchId: target.value };
  const done = await showingErrors(() => call('moveRows', { params: { id: id.value }, body: { selection, to } }));
  isBusy.value = false;
  if (!done) return;
  dialog.value = undefined;
  tell(`Moved ${counted(done.moved, 'row')} to “${done.batch.name}”`);
  emit('changed');
}
</script>

<template>
  <el-dropdown trigger="click" :trigger-keys="['Enter', 'ArrowDown']" @command="choose">
    <el-button size="small" aria-label="What is done with the batch">▾</el-button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item command="rename">Rename the batch…</el-dropdown-item>
        <el-dropdown-item command="give">Give it to somebody…</el-dropdown-item>
        <el-dropdown-item command="split" :disabled="!isOpen || batch.counts.all < 2">Split it…</el-dropdown-item>
        <el-dropdown-item command="move" :disabled="!isOpen || selected === 0">{{
          selected === 0 ? 'Move rows: select some first' : `Move ${counted(selected, 'row')} to another batch…`
        }}</el-dropdown-item>
        <el-dropdown-item command="fold" :disabled="!isOpen || batch.partOf === null">{{
          batch.partOf ? `Fold it back into “${batch.partOf.name}”…` : 'Fold it back: it was not split off'
        }}</el-dropdown-item>
      </el-dropdown-menu>
    </template>
  </el-dropdown>

  <el-dialog
    :model-value="dialog === 'give'"
    title="Give the batch to somebody"
    width="420"
    @update:model-value="dialog = undefined"
  >
    <p class="soft">It stands with their name in Intake, and on their Today. Everybody may still open it.</p>
    <pick-one :value="batch.givenTo?.id ?? 0" :choices="people" label="Who prepares it" @pick="give" />
  </el-dialog>

  <el-dialog
    :model-value="dialog === 'split'"
    title="Split the batch"
    width="520"
    @update:model-value="dialog = undefined"
  >
    <form @submit.prevent="splitIt">
      <p class="row">
        <pick-one :value="split.by" :choices="WAYS" label="How" @pick="(by) => (split = { ...split, by })" />
        <template v-if="split.by === 'number'">
          <value-number
            :value="split.size"
            label="Files in each"
            :min="1"
            :max="1000000"
            :step="50"
            @set="(size) => (split = { ...split, size })"
          />
          files in each
        </template>
      </p>
      <table v-if="parts" class="plain">
        <thead>
          <tr>
            <th>Batch</th>
            <th class="number">Files</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="part in parts" :key="part.place">
            <td>{{ part.name }} <span v-if="part.place === 0" class="soft">stays here</span></td>
            <td class="number">{{ part.files.toLocaleString('en') }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="parts && parts.length < 2" class="soft">All of it falls into one part this way.</p>
      <p class="foot">
        <el-button @click="dialog = undefined">Cancel</el-button>
        <el-button type="primary" native-type="submit" :loading="isBusy" :disabled="!parts || parts.length < 2">{{
          parts && parts.length > 1 ? `Split into ${parts.length} batches` : 'Split'
        }}</el-button>
      </p>
    </form>
  </el-dialog>

  <el-dialog
    :model-value="dialog === 'move'"
    :title="`Move ${counted(selected, 'row')} to another batch`"
    width="460"
    @update:model-value="dialog = undefined"
  >
    <form @submit.prevent="move">
      <p class="row">
        <pick-one :value="target" :choices="targets" label="To which batch" @pick="(picked) => (target = picked)" />
        <el-input v-if="target === 0" v-model="newName" placeholder="Its name" aria-label="Name of the new batch" />
      </p>
      <p class="soft">What was described stays with the sounds. Files stay where they are.</p>
      <p class="foot">
        <el-button @click="dialog = undefined">Cancel</el-button>
        <el-button
          type="primary"
          native-type="submit"
          :loading="isBusy"
          :disabled="target === 0 && newName.trim() === ''"
          >Move {{ counted(selected, 'row') }}</el-button
        >
      </p>
    </form>
  </el-dialog>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  align-items: center;
}

.foot {
  display: flex;
  gap: 8px;
  justify-content: flex-end;
  margin-top: 16px;
}

.foot .el-button + .el-button {
  margin-left: 0;
}
</style>

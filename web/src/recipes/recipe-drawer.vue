<script setup lang="ts">
import type { FilePlace, Recipe, RecipeRun } from '@flagstone/contract/recipes';
import type { Selection } from '@flagstone/contract/selection';
import { fieldLabel } from '@flagstone/core/record/fields';
import { stepInWords, type RecipeStep } from '@flagstone/core/recipes/recipe';
import { useDebounceFn } from '@vueuse/core';
import {
  ElButton,
  ElDrawer,
  ElDropdown,
  ElDropdownItem,
  ElDropdownMenu,
  ElOption,
  ElSelect,
  ElSwitch,
} from 'element-plus';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { changedInWords } from '../ui/changed-in-words.ts';
import { asked } from '../ui/asked.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { server } from '../ui/server.ts';
import MeasuredRows from '../ui/measured-rows.vue';
import { useRecipePreview } from './use-recipe-preview.ts';
import StepForm from './step-form.vue';

/** A recipe on the left, what it would change on the right, row by row, while it is being written. */
const props = defineProps<{ selection: Selection | undefined; what: string }>();
const isOpen = defineModel<boolean>({ required: true });
defineExpose({ openWith });

const steps = ref<RecipeStep[]>([]);
const recipes = ref<Recipe[]>([]);
const chosenId = ref<number>();
const shared = ref(false);
const running = ref(false);

/** What the drawer holds is made piece by piece in the frames after the drawer itself: all in one frame is a jolt. */
const PIECES = { frame: 1, preview: 2, steps: 3 };
const filled = ref(0);
function fillSoon(): void {
  requestAnimationFrame(() =>
    requestAnimationFrame(() => {
      filled.value = isOpen.value ? filled.value + 1 : 0;
      if (isOpen.value && filled.value < PIECES.steps) fillSoon();
    }),
  );
}

const NEW_STEPS: { label: string; step: RecipeStep }[] = [
  {
    label: 'Find and replace',
    step: { do: 'replace', fields: ['fxName'], find: '', by: '', how: 'plain', matchCase: false },
  },
  { label: 'Change the case', step: { do: 'case', fields: ['fxName'], to: 'title', keptWhole: [] } },
  { label: 'Tidy up', step: { do: 'tidy', fields: ['fxName'], how: 'trim' } },
  {
    label: 'Fill from another field, the path or the file',
    step: { do: 'put', to: 'fxName', from: 'fileName', level: 1, place: '', how: 'ifEmpty', between: ' ' },
  },
  { label: 'Set a value', step: { do: 'set', to: 'library', value: '', how: 'replace', between: ' ' } },
  { label: 'Number in sequence', step: { do: 'number', to: 'fxName', start: 1, digits: 2, between: ' ' } },
  { label: 'Words of the name into keywords', step: { do: 'nameToKeywords' } },
  { label: 'Rename or remove a keyword', step: { do: 'keyword', find: '', by: '' } },
  { label: 'Read the blocks of the name', step: { do: 'readName', how: 'ifEmpty' } },
  { label: 'Look up in a list of names', step: { do: 'lookUp', field: 'creator' } },
  { label: 'Hints on spelling', step: { do: 'spell', fields: ['fxName', 'description', 'keywords'] } },
];

/** What the files say and where, looked up once a step asks for it. */
const filePlaces = ref<FilePlace[]>([]);
const asksFiles = computed(() => isOpen.value && steps.value.some((step) => 'from' in step && step.from === 'inFile'));
watch([asksFiles, () => JSON.stringify(props.selection)], async ([asks, selection]) => {
  filePlaces.value = [];
  if (!asks || !props.selection) return;
  const places = await showingErrors(() => call('listFilePlaces', { body: { selection: props.selection! } }));
  if (selection === JSON.stringify(props.selection)) filePlaces.value = places ?? [];
});

/** Steps that say enough to be tried. */
const ready = computed(() =>
  steps.value.filter(
    (step) =>
      !('find' in step && step.find === '') &&
      !('fields' in step && step.fields.length === 0) &&
      !(step.do === 'set' && step.value === '') &&
      !(step.do === 'put' && step.from === 'inFile' && !step.place),
  ),
);
/** What is tried: nothing while the drawer is closed or no step says enough. */
const body = computed<RecipeRun | undefined>(() =>
  isOpen.value && props.selection && ready.value.length > 0
    ? { selection: props.selection, steps: ready.value }
    : undefined,
);
const { rows, counts, fault, preview, needUpTo } = useRecipePreview(body, server);
const previewSoon = useDebounceFn(preview, 250);
watch(
  () => JSON.stringify(body.value),
  () => void previewSoon(),
);
watch(
  isOpen,
  (open) =>
    open &&
    void showingErrors(async () => {
      recipes.value = await call('listRecipes');
    }),
);

/** Steps are edited in place, so that what is kept must not be the same object. */
function copied<Value>(value: Value): Value {
  return JSON.parse(JSON.stringify(value)) as Value;
}

function add(step: RecipeStep): void {
  steps.value = [...steps.value, copied(step)];
}

/** Opens with these steps instead of those that were there. */
function openWith(given: RecipeStep[]): void {
  steps.value = copied(given);
  chosenId.value = undefined;
  isOpen.value = true;
}

function take(id: number | undefined): void {
  const recipe = recipes.value.find((each) => each.id === id);
  if (!recipe) return;
  steps.value = copied(recipe.steps);
  shared.value = recipe.shared;
}

const chosen = computed(() => recipes.value.find((each) => each.id === chosenId.value));

async function save(): Promise<void> {
  const name = await asked(
    'Under which name? A recipe of yours of that name is replaced.',
    'Keep the recipe',
    chosen.value?.own ? chosen.value.name : '',
    'Keep it',
  );
  if (name === undefined) return;
  await showingErrors(async () => {
    recipes.value = await call('saveRecipe', { body: { name, steps: ready.value, shared: shared.value } });
    chosenId.value = recipes.value.find((each) => each.own && each.name === name)?.id;
  });
}

async function remove(): Promise<void> {
  const id = chosenId.value;
  if (id === undefined) return;
  await showingErrors(async () => {
    recipes.value = await call('removeRecipe', { params: { id } });
    chosenId.value = undefined;
  });
}

function move(index: number, by: number): void {
  const list = [...steps.value];
  const [step] = list.splice(index, 1);
  if (step) list.splice(index + by, 0, step);
  steps.value = list;
}

async function run(): Promise<void> {
  if (!body.value) return;
  running.value = true;
  const name =
    chosen.value && JSON.stringify(chosen.value.steps) === JSON.stringify(ready.value) ? chosen.value.name : undefined;
  const result = await showingErrors(() =>
    call('runRecipe', { body: { ...body.value!, ...(name === undefined ? {} : { name }) } }),
  );
  running.value = false;
  if (!result) return;
  tell(changedInWords(result), 'u takes it back as one.');
  isOpen.value = false;
}
</script>

<template>
  <el-drawer
    v-model="isOpen"
    direction="btt"
    size="88%"
    :title="`Recipe for ${what}`"
    class="recipe-drawer"
    @open="fillSoon"
    @closed="filled = 0"
  >
    <div v-if="filled >= PIECES.frame" class="recipe">
      <section class="steps" aria-label="Steps">
        <div class="kept">
          <el-select
            v-model="chosenId"
            clearable
            :persistent="false"
            size="small"
            placeholder="Recipes that are kept"
            aria-label="Recipes that are kept"
            :empty-values="[undefined, null]"
            :value-on-clear="() => undefined"
            @change="take"
          >
            <el-option
              v-for="each in recipes"
              :key="each.id"
              :value="each.id"
              :label="each.own ? each.name : `${each.name} (${each.person})`"
            />
          </el-select>
          <el-button size="small" :disabled="ready.length === 0" @click="save">Keep</el-button>
          <el-button size="small" :disabled="!chosen?.own" @click="remove">Forget</el-button>
          <el-switch v-model="shared" size="small" active-text="shared" />
        </div>
        <p v-if="steps.length === 0" class="soft">
          Add a step, or take a recipe that was kept. The steps run one after another; on the right stands what each
          sound would become.
        </p>
        <ol v-if="filled >= PIECES.steps">
          <li v-for="(step, index) in steps" :key="index">
            <div class="head">
              <strong>{{ stepInWords(step) }}</strong>
              <span>
                <button
                  type="button"
                  class="in-line-button"
                  :disabled="index === 0"
                  :aria-label="`Step ${index + 1} earlier`"
                  @click="move(index, -1)"
                >
                  ↑
                </button>
                <button
                  type="button"
                  class="in-line-button"
                  :disabled="index === steps.length - 1"
                  :aria-label="`Step ${index + 1} later`"
                  @click="move(index, 1)"
                >
                  ↓
                </button>
                <button
                  type="button"
                  class="in-line-button"
                  :aria-label="`Leave step ${index + 1} out`"
                  @click="steps = steps.filter((_, at) => at !== index)"
                >
                  ✕
                </button>
              </span>
            </div>
            <step-form v-model="steps[index]!" :file-places="filePlaces" />
          </li>
        </ol>
        <el-dropdown trigger="click" :trigger-keys="['ArrowDown']" @command="(step: RecipeStep) => add(step)">
          <el-button size="small">+ Add a step</el-button>
          <template #dropdown>
            <el-dropdown-menu>
              <el-dropdown-item v-for="each in NEW_STEPS" :key="each.label" :command="each.step">{{
                each.label
              }}</el-dropdown-item>
            </el-dropdown-menu>
          </template>
        </el-dropdown>
      </section>
      <section v-if="filled >= PIECES.preview" class="preview" aria-label="What would change">
        <p role="status" class="line">
          <span v-if="fault" class="fault">✕ {{ fault }}</span>
          <span v-else-if="ready.length === 0" class="soft">Nothing to try yet.</span>
          <template v-else-if="counts">
            <strong>{{ counted(counts.changed, 'sound') }}</strong> of {{ counts.rows.toLocaleString('en') }} would
            change
            <span v-if="counts.notes > 0" class="note">▲ {{ counted(counts.notes, 'remark') }}</span>
            <span v-if="counts.problems > 0" class="fault"
              >✕ {{ counted(counts.problems, 'sound') }} cannot, and stay as they are</span
            >
          </template>
          <span v-else class="soft">Counting…</span>
          <span class="spring" />
          <el-button type="primary" :loading="running" :disabled="!counts || counts.changed === 0" @click="run"
            >Change {{ counts ? counted(counts.changed, 'sound') : '' }}</el-button
          >
        </p>
        <measured-rows
          :rows="rows"
          :key-of="(row) => row.copyId"
          :estimate="48"
          label="Rows with their values before and after"
          @reached="needUpTo"
        >
          <template #default="{ row }">
            <span class="mono soft name">{{ row.name }}</span>
            <span v-for="each in row.changes" :key="each.field" class="change">
              <span class="soft">{{ fieldLabel(each.field) }}</span> <del>{{ each.before || '(empty)' }}</del> →
              <ins>{{ each.after || '(empty)' }}</ins>
            </span>
            <span v-for="note in row.notes" :key="note" class="note">▲ {{ note }}</span>
            <span v-if="row.problem" class="fault">✕ {{ row.problem }}</span>
          </template>
        </measured-rows>
      </section>
    </div>
  </el-drawer>
</template>

<style scoped>
.recipe {
  display: grid;
  grid-template-columns: 440px minmax(0, 1fr);
  gap: 16px;
  height: 100%;
}

.steps {
  overflow: auto;
}

.kept,
.line,
.head {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}

.head {
  justify-content: space-between;
  margin-bottom: 4px;
}

.head > span {
  flex: none;
}

ol {
  margin: 8px 0;
  padding: 0;
  list-style: none;
}

li {
  margin-bottom: 8px;
  padding: 8px;
  border: 1px solid var(--hairline);
  background: var(--ground);
}

.preview {
  display: flex;
  flex-direction: column;
  min-height: 0;
}

.spring {
  flex: 1;
}

.name {
  display: block;
}

.change {
  margin-right: 16px;
}

del {
  color: var(--ink-soft);
}

ins {
  color: var(--lichen);
  text-decoration: none;
}

.note {
  display: inline-block;
  margin-right: 16px;
  color: var(--ochre-ink);
}

.fault {
  color: var(--iron);
}
</style>

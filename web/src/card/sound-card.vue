<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import type { Proposal } from '@flagstone/contract/proposal';
import type { Selection } from '@flagstone/contract/selection';
import { FIELDS, type FieldDefinition, type FieldName } from '@flagstone/core/record/fields';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { splitExtension, type BlockName } from '@flagstone/core/naming/name-blocks';
import { ElInputNumber, ElInputTag, ElOption, ElSelect } from 'element-plus';
import { computed, nextTick, ref, toRef, watch } from 'vue';
import { counted as inWords } from '../ui/format.ts';
import { server } from '../ui/server.ts';
import { NEEDS_ASSISTANT } from '../stores/person-rights.ts';
import ReadOnly from '../ui/read-only.vue';
import { usePresence } from '../stores/presence.ts';
import { useCollections } from '../stores/collections.ts';
import { useRights } from '../stores/rights.ts';
import { useAuthorities } from '../stores/authorities.ts';
import CategoryPicker from './category-picker.vue';
import DraftText from '../ui/draft-text.vue';
import NameBlocks from '../ui/name-blocks.vue';
import CardContents from './card-contents.vue';
import CardCopies from './card-copies.vue';
import CardOtherForms from './card-other-forms.vue';
import CardCopyFields from './card-copy-fields.vue';
import CardDisagreements from './card-disagreements.vue';
import CardHistory from './card-history.vue';
import CardMeasures from './card-measures.vue';
import CardProposals from './card-proposals.vue';
import RemarkList from '../remarks/remark-list.vue';
import CardTapTempo from './card-tap-tempo.vue';
import CardThreeWays from './card-three-ways.vue';
import CardLicence from './card-licence.vue';
import CardUses from './card-uses.vue';
import CardValues from './card-values.vue';
import { useCardFields } from './use-card-fields.ts';

/** Shows and edits one record, or the fields that many have in common. Each field is saved when it is left. */
const props = defineProps<{
  rows: SoundRow[];
  count: number;
  selection?: Selection | undefined;
  /** Changes the records of a selection, by default what the list has selected; false when that failed. */
  edit: (edit: RecordEdit, selection?: Selection) => Promise<boolean>;
}>();

const authorities = useAuthorities();
void authorities.load();
const root = ref<HTMLElement>();
const groups = ['Name', 'Description', 'Origin', 'Rights', 'Sound', 'Music'] as const;
const rights = useRights();
const presence = usePresence();
const mayEdit = computed(() => props.rows.every(({ collectionId }) => rights.mayIn('assistant', collectionId)));
const mayDecide = computed(() => props.rows.every(({ collectionId }) => rights.mayIn('librarian', collectionId)));
const collections = useCollections();
void collections.load();
/** What whoever looks at it changes is proposed. */
const waitsForReview = computed(() => {
  const reviewed = new Set(collections.list.filter(({ asksReview }) => asksReview).map(({ id }) => id));
  return !mayDecide.value && props.rows.some(({ collectionId }) => collectionId !== null && reviewed.has(collectionId));
});
const { one, values, about, textOf, numberOf, listOf, placeholderOf, save, saveTyped, saveKeywords } = useCardFields(
  toRef(() => props),
  server,
  authorities.codeWith,
  (edit, selection) => props.edit(edit, selection),
);

/** The record, what was measured of the sound, what stands in the file, what became of the record, or what people say about the sound. */
const view = ref<'record' | 'sound' | 'file' | 'history' | 'remarks'>('record');
const VIEWS = [
  { key: 'record', label: 'Record' },
  { key: 'sound', label: 'Sound' },
  { key: 'file', label: 'In the file' },
  { key: 'history', label: 'History' },
  { key: 'remarks', label: 'Remarks' },
] as const;
/** Which copy's file is shown: that of the row, until another one is chosen among the copies. */
const inspected = ref(0);
watch(
  () => one.value?.copyId,
  (copyId) => (inspected.value = copyId ?? 0),
  { immediate: true },
);

function inspect(copyId: number): void {
  inspected.value = copyId;
  view.value = 'file';
}

const proposalsFor = (field: FieldName): Proposal[] =>
  one.value?.proposals.filter((proposal) => proposal.field === field) ?? [];

function fieldsOf(group: string): FieldDefinition[] {
  return FIELDS.filter((field) => field.group === group && field.name !== 'category' && field.name !== 'subCategory');
}

async function focusField(name: string): Promise<void> {
  view.value = 'record';
  await nextTick();
  const field = root.value?.querySelector<HTMLElement>(`[data-field="${name}"] input, [data-field="${name}"] textarea`);
  field?.scrollIntoView({ block: 'center' });
  field?.focus();
}

defineExpose({ focusField: (name?: BlockName) => focusField(name ?? 'catId') });
</script>

<template>
  <aside ref="root" class="card" aria-label="Card">
    <p v-if="count === 0" class="hint soft">
      Select a row to see its record here. Select many (<kbd>Ctrl+A</kbd> for all) to edit what they share.
    </p>
    <template v-else>
      <header class="head">
        <name-blocks
          v-if="one"
          :blocks="one.record"
          :extension="splitExtension(one.name).extension"
          @edit="focusField"
        />
        <template v-else>
          <h2>{{ inWords(count, 'sound') }}</h2>
          <p class="soft">
            What they say stands below each field. A value typed here goes into all of them, and so does one by its “→
            all”.
          </p>
        </template>
        <p v-if="one && presence.atSound(one.soundId).length > 0" class="there" role="status">
          ◉
          {{
            presence
              .atSound(one.soundId)
              .map(({ name }) => name)
              .join(', ')
          }}: {{ presence.atSound(one.soundId).length > 1 ? 'have' : 'has' }} this open too.
        </p>
        <p v-if="!mayEdit" class="soft" role="note">◌ To look at: {{ NEEDS_ASSISTANT }}</p>
        <p v-else-if="waitsForReview" class="soft" role="note">
          ◇ What you change here waits until a librarian accepts it.
        </p>
        <card-copy-fields v-if="mayEdit" :one="one" :count="count" @edit="(change) => void edit(change)" />
        <div class="views" role="group" aria-label="What the card shows">
          <button
            v-for="each in VIEWS"
            :key="each.key"
            type="button"
            :class="{ current: view === each.key }"
            :aria-pressed="view === each.key"
            @click="view = each.key"
          >
            {{ each.label }}{{ each.key === 'remarks' && one && one.remarks > 0 ? ` ${one.remarks}` : '' }}
          </button>
        </div>
      </header>
      <card-other-forms v-if="one && view === 'record'" :row="one" />
      <slot v-if="view === 'record'" />
      <template v-if="view === 'remarks'">
        <remark-list v-if="one" :sound-id="one.soundId" :collection-id="one.collectionId" />
        <p v-else class="hint soft">Select one sound to see what is said about it.</p>
      </template>
      <read-only v-else :on="!mayEdit">
        <template v-if="view === 'file'">
          <card-three-ways
            v-if="one"
            :copy-id="inspected"
            :revision="one.revision"
            :state="one.state"
            :may-edit="mayEdit"
            @edit="(change) => void edit(change)"
          />
          <card-contents
            v-if="one"
            :copy-id="inspected"
            :record="one.record"
            :revision="one.revision"
            :state="one.state"
            @edit="(change) => void edit(change)"
          />
          <card-disagreements v-else-if="selection" :selection="selection" />
        </template>
        <template v-else-if="view === 'sound'">
          <card-measures v-if="one" :row="one" @edit="(change) => void edit(change)" />
          <p v-else class="hint soft">Select one sound to see its measures.</p>
        </template>
        <template v-else-if="view === 'history'">
          <template v-if="one">
            <card-history :sound-id="one.soundId" :revision="one.revision" />
            <card-uses v-if="rights.may('editor')" :sound-id="one.soundId" />
          </template>
          <p v-else class="hint soft">Select one sound to see what became of its record.</p>
        </template>
        <template v-else>
          <section v-for="group in groups" :key="group" class="group">
            <h2>{{ group }}</h2>
            <card-licence v-if="group === 'Rights' && one" :licence="one.record.licence" :url="one.record.licenceUrl" />
            <label v-for="field in fieldsOf(group)" :key="field.name" class="field" :data-field="field.name">
              <span class="label">{{ field.label }}</span>
              <category-picker
                v-if="field.kind === 'category'"
                :model-value="textOf('catId')"
                :placeholder="placeholderOf('catId') || 'Type any part'"
                @update:model-value="(catId) => save('catId', catId)"
              />
              <template v-else-if="field.kind === 'list'">
                <el-input-tag
                  :model-value="one ? listOf(field.name) : []"
                  :placeholder="one ? 'Type, then Enter' : 'Add to all'"
                  :delimiter="/[,;]/"
                  @update:model-value="(words) => saveKeywords(words ?? [])"
                />
                <el-input-tag
                  v-if="!one"
                  class="under"
                  :model-value="[]"
                  placeholder="Remove from all"
                  aria-label="Keywords to remove from all"
                  :delimiter="/[,;]/"
                  @update:model-value="(words) => void edit({ removeKeywords: words ?? [] })"
                />
              </template>
              <el-select
                v-else-if="field.choices"
                :persistent="false"
                :model-value="textOf(field.name)"
                clearable
                :value-on-clear="''"
                :empty-values="['', null, undefined]"
                :placeholder="placeholderOf(field.name)"
                :aria-label="field.label"
                @update:model-value="(value: string) => save(field.name, value)"
              >
                <el-option v-for="choice in field.choices" :key="choice" :value="choice" :label="choice" />
              </el-select>
              <el-input-number
                v-else-if="field.range"
                :model-value="numberOf(field.name)"
                :min="field.range[0]"
                :max="field.range[1]"
                :step="1"
                :placeholder="placeholderOf(field.name)"
                controls-position="right"
                @update:model-value="(value) => save(field.name, value ?? null)"
              />
              <draft-text
                v-else
                :value="textOf(field.name)"
                :label="field.label"
                :multiline="field.kind === 'longText'"
                :placeholder="placeholderOf(field.name)"
                :names="authorities.namesFor(field.name)"
                :class="{ mono: field.name.endsWith('Id') }"
                :about="about"
                :save="(value, typedFor) => saveTyped(field.name, value, typedFor)"
              />
              <span v-if="field.name === 'tempo'" class="under tap"
                ><card-tap-tempo :key="JSON.stringify(selection)" @tapped="(tempo) => save('tempo', tempo)"
              /></span>
              <card-values
                v-if="!one"
                :values="values"
                :field="field.name"
                :label="field.label"
                :is-list="field.kind === 'list'"
                @set="(value) => save(field.name, field.range ? Number(value) : value)"
                @add="(word) => void edit({ addKeywords: [word] })"
                @remove="(word) => void edit({ removeKeywords: [word] })"
              />
              <card-proposals v-if="one" :row="one" :proposals="proposalsFor(field.name)" :may-decide="mayDecide" />
              <span v-if="field.name === 'catId' && textOf('category')" class="under soft"
                >{{ textOf('category') }} / {{ textOf('subCategory') }}</span
              >
            </label>
          </section>
          <card-copies
            v-if="one"
            :sound-id="one.soundId"
            :revision="one.revision"
            :state="one.state"
            @inspect="inspect"
          />
        </template>
      </read-only>
    </template>
  </aside>
</template>

<style scoped>
.card {
  overflow: auto;
  border-left: 1px solid var(--hairline);
  background: var(--surface);
}

.hint {
  padding: 24px 16px;
}

.head {
  position: sticky;
  z-index: 2;
  top: 0;
  padding: 10px 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--surface);
}

.there {
  margin: 4px 0 0;
  color: var(--lichen);
}

.views {
  display: flex;
  margin-top: 8px;
}

.views button {
  flex: 1 1 auto;
  padding: 0 2px;
  white-space: nowrap;
  height: 24px;
  border: 1px solid var(--hairline);
  background: var(--surface);
  color: var(--ink);
  font: inherit;
  font-size: 12px;
  cursor: pointer;
}

.views button + button {
  border-left-width: 0;
}

.views .current {
  background: var(--ink);
  color: var(--ground);
}

.group {
  padding: 8px 12px;
  border-bottom: 1px solid var(--hairline);
}

.group h2 {
  margin-bottom: 4px;
  color: var(--ink-soft);
  font-size: 12px;
}

.field {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr);
  align-items: start;
  margin-bottom: 4px;
}

.label {
  padding-top: 3px;
}

.under {
  grid-column: 2;
  font-size: 12px;
}

.tap {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 2px;
}

.field :deep(.el-input-number) {
  width: 100%;
}
</style>

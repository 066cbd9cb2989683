<script setup lang="ts">
import { AUTHORITY_FIELDS } from '@flagstone/contract/authorities';
import { fieldLabel } from '@flagstone/core/record/fields';
import { CASE_WORDS, LETTER_CASES } from '@flagstone/core/text/letter-case';
import {
  placeInWords,
  TEXT_FIELDS,
  TIDY_WORDS,
  TIDYINGS,
  type PutHow,
  type PutSource,
  type RecipeStep,
} from '@flagstone/core/recipes/recipe';
import type { FilePlace } from '@flagstone/contract/recipes';
import { ElCheckbox, ElInput, ElInputNumber, ElInputTag, ElOption, ElSelect } from 'element-plus';
import { counted } from '../ui/format.ts';
import PickOne from '../ui/pick-one.vue';

/** One step of a recipe, as a row of fields. `filePlaces` are what the files say somewhere. */
defineProps<{ filePlaces: readonly FilePlace[] }>();
const step = defineModel<RecipeStep>({ required: true });

const FIND_CHOICES = [
  { value: 'plain', label: 'Anywhere' },
  { value: 'word', label: 'Whole words' },
  { value: 'pattern', label: 'As a pattern' },
] as const;
const PUT_CHOICES = [
  { value: 'replace', label: 'instead' },
  { value: 'ifEmpty', label: 'where empty' },
  { value: 'append', label: 'behind' },
  { value: 'prepend', label: 'before' },
] as const satisfies readonly { value: PutHow; label: string }[];
const CASE_CHOICES = LETTER_CASES.filter((value) => value !== 'asIs').map((value) => ({
  value,
  label: CASE_WORDS[value],
}));
const TIDY_CHOICES = TIDYINGS.map((value) => ({ value, label: TIDY_WORDS[value] }));
const FIELD_CHOICES = TEXT_FIELDS.map((value) => ({ value, label: fieldLabel(value) }));
/** Where a value can come from: the name and the folders of the file, what it says, then the fields. */
const SOURCE_CHOICES: { value: PutSource; label: string }[] = [
  { value: 'fileName', label: 'File name' },
  { value: 'folder', label: 'Folder' },
  { value: 'inFile', label: 'The file' },
  ...FIELD_CHOICES,
];

const READ_CHOICES = [
  { value: 'ifEmpty', label: 'into empty fields' },
  { value: 'replace', label: 'instead of what is there' },
] as const;
/** Fields for which there is a list of names. */
const LIST_CHOICES = Object.values(AUTHORITY_FIELDS).map(({ name }) => ({ value: name, label: fieldLabel(name) }));

function change(part: Partial<RecipeStep>): void {
  step.value = { ...step.value, ...part } as RecipeStep;
}
</script>

<template>
  <div class="step">
    <el-select
      v-if="'fields' in step"
      :model-value="step.fields"
      multiple
      :persistent="false"
      collapse-tags
      collapse-tags-tooltip
      size="small"
      class="fields"
      placeholder="In which fields"
      aria-label="Fields of the step"
      @update:model-value="(fields) => change({ fields })"
    >
      <el-option v-for="name in TEXT_FIELDS" :key="name" :value="name" :label="fieldLabel(name)" />
    </el-select>
    <template v-if="step.do === 'replace' || step.do === 'keyword'">
      <el-input
        :model-value="step.find"
        size="small"
        :placeholder="step.do === 'keyword' ? 'Keyword' : 'Find'"
        aria-label="Find"
        @update:model-value="(find) => change({ find })"
      />
      <el-input
        :model-value="step.by"
        size="small"
        placeholder="Becomes"
        aria-label="Becomes"
        @update:model-value="(by) => change({ by })"
      />
    </template>
    <template v-if="step.do === 'replace'">
      <pick-one :value="step.how" :choices="FIND_CHOICES" label="How it is found" @pick="(how) => change({ how })" />
      <el-checkbox
        :model-value="step.matchCase"
        size="small"
        label="Aa"
        title="Capitals and small letters are different"
        @update:model-value="(matchCase) => change({ matchCase: matchCase === true })"
      />
    </template>
    <template v-if="step.do === 'case'">
      <pick-one :value="step.to" :choices="CASE_CHOICES" label="Letters" @pick="(to) => change({ to })" />
      <el-input-tag
        :model-value="step.keptWhole"
        size="small"
        placeholder="Also kept whole: MKX, LoFi"
        aria-label="Words that are kept whole beside the common acronyms"
        @update:model-value="(keptWhole) => change({ keptWhole: keptWhole ?? [] })"
      />
    </template>
    <pick-one
      v-if="step.do === 'tidy'"
      :value="step.how"
      :choices="TIDY_CHOICES"
      label="What is tidied"
      @pick="(how) => change({ how })"
    />
    <pick-one
      v-if="step.do === 'readName'"
      :value="step.how"
      :choices="READ_CHOICES"
      label="What becomes of values that are there"
      @pick="(how) => change({ how })"
    />
    <pick-one
      v-if="step.do === 'lookUp'"
      :value="step.field"
      :choices="LIST_CHOICES"
      label="Field whose list is looked in"
      @pick="(field) => change({ field })"
    />
    <template v-if="'to' in step && step.do !== 'case'">
      <pick-one :value="step.to" :choices="FIELD_CHOICES" label="Field that is filled" @pick="(to) => change({ to })" />
      <template v-if="step.do === 'put'">
        <span class="soft">from</span>
        <pick-one
          :value="step.from"
          :choices="SOURCE_CHOICES"
          label="Where the value comes from"
          @pick="(from) => change({ from })"
        />
        <label v-if="step.from === 'folder'" class="level"
          ><el-input-number
            :model-value="step.level"
            size="small"
            :min="1"
            :max="20"
            controls-position="right"
            @update:model-value="(level) => change({ level: level ?? 1 })"
          />
          up</label
        >
        <el-select
          v-if="step.from === 'inFile'"
          :model-value="step.place || undefined"
          filterable
          allow-create
          default-first-option
          :persistent="false"
          size="small"
          class="fields"
          placeholder="At which place"
          aria-label="Place of the file"
          no-data-text="These files say nothing"
          @update:model-value="(place: string | undefined) => change({ place: place ?? '' })"
        >
          <el-option v-for="each in filePlaces" :key="each.place" :value="each.place" :label="placeInWords(each.place)">
            <span class="place">{{ placeInWords(each.place) }}</span>
            <span class="soft">{{ counted(each.files, 'file') }}: {{ each.example }}</span>
          </el-option>
        </el-select>
      </template>
      <el-input
        v-if="step.do === 'set'"
        :model-value="step.value"
        size="small"
        placeholder="Value"
        aria-label="Value"
        @update:model-value="(value) => change({ value })"
      />
      <template v-if="step.do === 'number'">
        <label class="level"
          >from
          <el-input-number
            :model-value="step.start"
            size="small"
            :min="0"
            controls-position="right"
            @update:model-value="(start) => change({ start: start ?? 1 })"
        /></label>
        <label class="level"
          >digits
          <el-input-number
            :model-value="step.digits"
            size="small"
            :min="1"
            :max="9"
            controls-position="right"
            @update:model-value="(digits) => change({ digits: digits ?? 2 })"
        /></label>
      </template>
      <pick-one
        v-if="step.do !== 'number'"
        :value="step.how"
        :choices="PUT_CHOICES"
        label="How it is put there"
        @pick="(how) => change({ how })"
      />
      <el-input
        v-if="step.do === 'number' || step.how === 'append' || step.how === 'prepend'"
        :model-value="step.between"
        size="small"
        class="between"
        placeholder="Between"
        aria-label="Text between"
        @update:model-value="(between) => change({ between })"
      />
    </template>
  </div>
</template>

<style scoped>
.place {
  margin-right: 12px;
}

.step {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}

.step > :deep(.el-select),
.step > :deep(.el-input),
.step > :deep(.el-input-tag) {
  flex: 1 1 110px;
  width: auto;
}

.step > :deep(.fields) {
  flex-basis: 160px;
}

.step > :deep(.between) {
  flex: 0 0 70px;
}

.level {
  display: inline-flex;
  gap: 4px;
  align-items: center;
}

.level :deep(.el-input-number) {
  width: 76px;
}
</style>

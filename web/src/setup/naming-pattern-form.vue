<script setup lang="ts">
import { AppError } from '@flagstone/core/errors';
import { FIELDS, type SoundRecord } from '@flagstone/core/record/fields';
import { CASE_WORDS, LETTER_CASES } from '@flagstone/core/text/letter-case';
import { BLOCK_LABELS, BLOCK_NAMES } from '@flagstone/core/naming/name-blocks';
import {
  nameAfter,
  ruleOf,
  type BlockRule,
  type FreeBlock,
  type NamingPattern,
} from '@flagstone/core/naming/naming-pattern';
import { ElButton, ElCheckbox, ElInput, ElRadio, ElRadioGroup } from 'element-plus';
import { computed, reactive, ref } from 'vue';
import { endingOf, NO_ENDING } from '@flagstone/core/naming/name-ending';
import NameBlocks from '../ui/name-blocks.vue';
import PickOne from '../ui/pick-one.vue';
import { useCategories } from '../stores/categories.ts';

/** How the names of a collection are made, with a made-up sound as the example of what comes out. */
const props = defineProps<{ pattern: NamingPattern | null }>();
const emit = defineEmits<{ save: [pattern: NamingPattern | null] }>();

const categories = useCategories();
const kind = ref<NamingPattern['kind']>(props.pattern?.kind ?? 'ucs');
const template = ref(props.pattern?.kind === 'free' ? props.pattern.template : '{fxName:title}[ - {library}] {catId}');
const FREE_BLOCKS = BLOCK_NAMES.filter((name): name is FreeBlock => name !== 'catId');
const rules = reactive(
  Object.fromEntries(
    FREE_BLOCKS.map((block) => [
      block,
      { ...ruleOf(props.pattern?.kind === 'ucs' ? props.pattern : { kind: 'ucs', blocks: {} }, block) },
    ]),
  ) as Record<FreeBlock, BlockRule>,
);

const EXAMPLE: Partial<SoundRecord> = {
  catId: 'WATRLap',
  category: 'WATER',
  subCategory: 'LAP',
  fxName: 'narrowboat hull, lapping at 20 Hz',
  vendorCategory: 'Canal',
  userCategory: 'EXT',
  creatorId: 'ORV',
  creator: 'Orla Venn',
  sourceId: 'CLAY',
  library: 'Clay and Canal',
  userData: 'MKH 2m',
  keywords: ['boat', 'lapping'],
};

const changed = ({ field, letterCase, spaces }: BlockRule, block: FreeBlock): boolean =>
  field !== block || letterCase !== 'asIs' || spaces !== 'kept';
const ending = reactive({ ...(props.pattern?.ending ?? NO_ENDING) });
const hasEnding = computed(() => ending.channel || ending.mono !== '');
const wanted = computed((): NamingPattern => ({
  ...named.value,
  ...(hasEnding.value ? { ending: { ...ending } } : {}),
}));
const named = computed((): NamingPattern =>
  kind.value === 'free'
    ? { kind: 'free', template: template.value }
    : {
        kind: 'ucs',
        blocks: Object.fromEntries(
          FREE_BLOCKS.filter((block) => changed(rules[block], block)).map((block) => [block, { ...rules[block] }]),
        ),
      },
);
const example = computed(() => {
  try {
    const end = `${endingOf(ending, { name: 'take 4_L.wav', channels: 1 })}.wav`;
    return { planned: nameAfter(wanted.value, EXAMPLE, end, categories.list), end, fault: '' };
  } catch (error) {
    if (error instanceof AppError) return { planned: undefined, end: '', fault: error.message };
    throw error;
  }
});

function save(): void {
  const pattern = wanted.value;
  const isStandard = pattern.kind === 'ucs' && Object.keys(pattern.blocks).length === 0 && !hasEnding.value;
  emit('save', isStandard ? null : pattern);
}
const FIELD_HINT = FIELDS.map(({ name }) => `{${name}}`).join(' ');
const SOURCES = FIELDS.map(({ name, label }) => ({ value: name, label }));
const CASES = LETTER_CASES.map((value) => ({ value, label: CASE_WORDS[value] }));
const SPACES = [
  { value: 'kept', label: 'Kept' },
  { value: 'removed', label: 'Removed' },
] as const;
</script>

<template>
  <form class="pattern" @submit.prevent="save">
    <el-radio-group v-model="kind" aria-label="Kind of naming pattern">
      <el-radio value="ucs">In the blocks of UCS</el-radio>
      <el-radio value="free">Freely</el-radio>
    </el-radio-group>
    <table v-if="kind === 'ucs'" class="plain">
      <thead>
        <tr>
          <th>Block</th>
          <th>Filled from</th>
          <th>Letters</th>
          <th>Spaces</th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <td>CatID</td>
          <td colspan="3" class="soft">always the CatID of the record, as the category list writes it</td>
        </tr>
        <tr v-for="block in FREE_BLOCKS" :key="block">
          <td>{{ BLOCK_LABELS[block] }}</td>
          <td>
            <pick-one
              :value="rules[block].field"
              :choices="SOURCES"
              :label="`${block} is filled from`"
              @pick="(field) => (rules[block].field = field)"
            />
          </td>
          <td>
            <pick-one
              :value="rules[block].letterCase"
              :choices="CASES"
              :label="`Letters of ${block}`"
              @pick="(letterCase) => (rules[block].letterCase = letterCase)"
            />
          </td>
          <td>
            <pick-one
              :value="rules[block].spaces"
              :choices="SPACES"
              :label="`Spaces of ${block}`"
              @pick="(spaces) => (rules[block].spaces = spaces)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <template v-else>
      <el-input v-model="template" class="mono" aria-label="The pattern" />
      <p class="soft">
        A field in braces, with <span class="mono">:title</span>, <span class="mono">:upper</span>,
        <span class="mono">:lower</span>, <span class="mono">:sentence</span> or <span class="mono">:joined</span> (no
        spaces) after it. What stands in brackets is left out when a field in it is empty. Fields:
        <span class="mono">{{ FIELD_HINT }}</span>
      </p>
    </template>
    <p class="ending">
      <el-checkbox v-model="ending.channel"
        >Files that hold one channel of several keep its mark at the end (.L, .R, .LFE)</el-checkbox
      >
      <label
        >Other mono files end in
        <el-input v-model="ending.mono" class="mark mono" maxlength="20" placeholder="nothing" size="small"
      /></label>
    </p>
    <p class="example" role="status">
      <template v-if="example.planned">
        <span class="soft">For example</span>
        <name-blocks v-if="example.planned.blocks" :blocks="example.planned.blocks" :extension="example.end" />
        <span v-else class="mono">{{ example.planned.name }}</span>
      </template>
      <span v-else class="warn">✕ {{ example.fault }}</span>
    </p>
    <el-button type="primary" native-type="submit" size="small" :disabled="!example.planned"
      >Name sounds so from now on</el-button
    >
  </form>
</template>

<style scoped>
.pattern {
  max-width: 720px;
  padding: 8px 0;
}

.ending {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  margin: 8px 0;
}

.mark {
  width: 90px;
}

.example {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 8px 0;
}

.warn {
  color: var(--iron);
}
</style>

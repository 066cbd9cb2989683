<script setup lang="ts">
import { SHEET_PARTS, type SheetPart } from '@flagstone/contract/sheet-parts';
import type { Sheet, SheetPartsOverview, StandsFor } from '@flagstone/contract/sheets';
import { ElCheckbox, ElCheckboxGroup, ElOption, ElSelect } from 'element-plus';
import { computed, watch } from 'vue';
import { call } from '../api/client.ts';
import { useRights } from '../stores/rights.ts';
import { useSession } from '../stores/session.ts';
import { counted } from '../ui/format.ts';
import { useAnswer } from '../ui/use-answer.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { partInWords, PART_NAMES, WORD_SIGNS, wordInWords } from './sheet-words.ts';

/** What a sheet brings beside its records: what of it is to be taken, and in whose name. */
const props = defineProps<{ sheet: Sheet }>();
const parts = defineModel<SheetPart[]>({ required: true });

const rights = useRights();
const session = useSession();
const { answer: overview, load } = useAnswer<string, SheetPartsOverview>(
  () => props.sheet.id,
  (id) => call('getSheetParts', { params: { id } }),
  { dependsOn: () => props.sheet.state },
);

const there = computed(() => {
  const said = overview.value;
  return said ? SHEET_PARTS.filter((part) => partInWords(part, said) !== null) : [];
});
// All of it is taken, unless somebody says otherwise; what they said stays while the sheet is tried, applied and asked for again.
watch(
  () => there.value.join(),
  () => (parts.value = [...there.value]),
);
const shows = (part: SheetPart): boolean => there.value.includes(part);

/** Who somebody of the sheet may be here: administrators say it of anybody, others of themselves. */
const others = computed(() =>
  session.people.filter(({ id, isHere }) => isHere && (rights.isAdministrator || id === session.personId)),
);
const valueOf = (stands: StandsFor): string => (stands.as === 'person' ? String(stands.personId) : stands.as);
async function place(name: string, value: string): Promise<void> {
  const stands: StandsFor =
    value === 'guest' || value === 'nobody' ? { as: value } : { as: 'person', personId: Number(value) };
  const placed = await showingErrors(() =>
    call('placeSheetPerson', { params: { id: props.sheet.id }, body: { name, stands } }),
  );
  if (placed) await load();
}
</script>

<template>
  <section v-if="overview && there.length > 0" class="panel beside" aria-label="Along with the records">
    <el-checkbox-group v-model="parts" class="parts" aria-label="What is taken beside the records">
      <el-checkbox v-for="part in there" :key="part" :value="part"
        ><strong>{{ PART_NAMES[part] }}</strong>
        <span class="soft">{{ partInWords(part, overview) }}</span></el-checkbox
      >
    </el-checkbox-group>
    <details v-if="overview.people.length > 0">
      <summary>In whose name: {{ counted(overview.people.length, 'person', 'people') }} of that house</summary>
      <ul class="people">
        <li v-for="person in overview.people" :key="person.name">
          <strong>{{ person.name }}</strong>
          <span class="soft">{{ counted(person.marks, 'mark') }}, {{ counted(person.lists, 'list') }}</span>
          <el-select
            :model-value="valueOf(person.stands)"
            size="small"
            filterable
            :disabled="!person.changeable"
            :aria-label="`Who ${person.name} is here`"
            @update:model-value="(value: string) => place(person.name, value)"
          >
            <el-option value="guest" label="A guest, who cannot sign in" />
            <el-option value="nobody" label="Nobody: their marks are left out" />
            <el-option v-for="each in others" :key="each.id" :value="String(each.id)" :label="each.name" />
          </el-select>
        </li>
      </ul>
    </details>
    <details v-if="shows('lists')">
      <summary>Pull lists</summary>
      <ul>
        <li v-for="(list, index) in overview.lists.some" :key="index">
          <strong>{{ list.name }}</strong>
          <span class="soft">{{ [list.show, list.scene].filter((text) => text !== '').join(', ') }}</span>
          <span>{{ list.held.toLocaleString('en') }} of {{ counted(list.entries, 'entry', 'entries') }} held here</span>
          <span class="soft">{{ list.isKnown ? '◆ there already: entries are added' : '+ new here' }}</span>
        </li>
      </ul>
    </details>
    <details v-if="overview.words.some.length > 0">
      <summary>Related words that are not the same here</summary>
      <ul>
        <li v-for="each in overview.words.some" :key="`${each.word} ${each.related}`">
          <strong>{{ each.word }} → {{ each.related }}</strong>
          <span>{{ wordInWords(each) }}</span>
          <span class="soft"
            >{{ WORD_SIGNS[each.standing] }}{{ each.ours ? `: here ${wordInWords(each.ours)}` : '' }}</span
          >
        </li>
      </ul>
    </details>
  </section>
</template>

<style scoped>
.beside {
  display: grid;
  flex: none;
  gap: 4px;
  max-height: 40%;
  padding: 8px 14px;
  overflow: auto;
}

.parts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
}

.el-checkbox {
  margin-right: 0;
}

.el-checkbox .soft {
  margin-left: 6px;
}

ul {
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
}

li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: center;
  padding: 2px 0;
}

.people li {
  display: grid;
  grid-template-columns: minmax(140px, max-content) minmax(120px, max-content) 280px;
}
</style>

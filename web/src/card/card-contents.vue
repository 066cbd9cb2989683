<script setup lang="ts">
import type { BlockDetail, PlaceDetail } from '@flagstone/contract/contents';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { FIELDS, sameValue, type FieldDefinition, type SoundRecord } from '@flagstone/core/record/fields';
import { ElButton, ElCheckbox } from 'element-plus';
import { computed, ref } from 'vue';
import { call } from '../api/client.ts';
import { counted, formatBytes, formatValue } from '../ui/format.ts';
import { useAnswer } from '../ui/use-answer.ts';

/** What stands in one file: each field by place, with what disagrees, and every block in its order. */
const props = defineProps<{ copyId: number; record: SoundRecord; revision: number; state: string }>();
const emit = defineEmits<{ edit: [edit: RecordEdit] }>();

const onlyDiffering = ref(false);

const { answer: contents } = useAnswer(
  () => props.copyId,
  (id) => call('getContents', { params: { id } }),
  { dependsOn: () => [props.state, props.revision].join() },
);

interface FieldInFile {
  field: FieldDefinition;
  places: PlaceDetail[];
  differs: boolean;
}

const fields = computed<FieldInFile[]>(() =>
  FIELDS.flatMap((field) => {
    const places = contents.value?.places.filter((place) => place.field === field.name) ?? [];
    const differs = places.some((place) => place.standing === 'differs');
    return places.length > 0 ? [{ field, places, differs }] : [];
  }).sort((a, b) => Number(b.differs) - Number(a.differs)),
);
const differing = computed(() => fields.value.filter((each) => each.differs).length);
const shown = computed(() => (onlyDiffering.value ? fields.value.filter((each) => each.differs) : fields.value));

const MARKS: Record<PlaceDetail['standing'], string> = { counts: '● counts', agrees: '= same', differs: '≠ differs' };
const inRecord = (place: PlaceDetail): boolean => sameValue(props.record[place.field], place.value);
const take = (place: PlaceDetail): void => emit('edit', { set: { [place.field]: place.value } });
const atByte = (offset: number): string => `byte ${offset.toLocaleString('en')}`;
const isOpen = (block: BlockDetail): boolean => block.kind === 'unknown';
</script>

<template>
  <div v-if="contents" class="contents">
    <section class="card-part">
      <h2>Fields by place</h2>
      <p v-if="fields.length === 0" class="soft">
        This {{ contents.container }} file says nothing about its sound yet.
      </p>
      <p v-else-if="differing === 0" class="soft">✓ All places of the file say the same.</p>
      <p v-else class="warn">▲ {{ counted(differing, 'field') }} with places that do not say the same</p>
      <el-checkbox v-if="differing > 0" v-model="onlyDiffering" size="small">Only these</el-checkbox>
      <div v-for="each in shown" :key="each.field.name" class="field" :class="{ differs: each.differs }">
        <h3>{{ each.field.label }}</h3>
        <ul>
          <li v-for="place in each.places" :key="place.place" :class="place.standing">
            <div class="line">
              <span class="mono">{{ place.place }}</span>
              <span class="mark" :title="atByte(place.offsetBytes)">{{ MARKS[place.standing] }}</span>
            </div>
            <div v-if="place.standing !== 'agrees'" class="line">
              <span class="value">{{ formatValue(place.value) }}</span>
              <el-button
                v-if="!inRecord(place)"
                size="small"
                :aria-label="`Take “${formatValue(place.value)}” into the record as ${each.field.label}`"
                @click="take(place)"
                >Take</el-button
              >
            </div>
            <div v-if="place.encoding && !['ASCII', 'UTF-8'].includes(place.encoding)" class="soft">
              {{ place.encoding }}
            </div>
          </li>
        </ul>
        <p v-if="!inRecord(each.places[0]!)" class="soft">
          The record says: {{ formatValue(record[each.field.name]) }}
        </p>
      </div>
    </section>
    <section class="card-part">
      <h2>{{ counted(contents.blocks.length, 'block') }} in the file, {{ formatBytes(contents.sizeBytes) }}</h2>
      <p v-for="issue in contents.issues" :key="issue.message" class="warn">▲ {{ issue.message }}</p>
      <details v-for="block in contents.blocks" :key="block.offsetBytes" :open="isOpen(block)" class="block">
        <summary :class="block.kind">
          <span class="mono id" :title="block.id">{{ block.id }}</span>
          <span class="what">{{ block.what }}</span>
          <span class="soft">{{ formatBytes(block.sizeBytes) }}</span>
        </summary>
        <p class="soft">{{ atByte(block.offsetBytes) }}, {{ block.sizeBytes.toLocaleString('en') }} bytes</p>
        <dl v-if="block.details.length > 0">
          <template v-for="(detail, index) in block.details" :key="index">
            <dt class="mono">{{ detail.name }}</dt>
            <dd>{{ detail.value }}</dd>
          </template>
        </dl>
        <pre v-if="block.hex" class="mono">{{ block.hex }}</pre>
      </details>
    </section>
  </div>
  <p v-else class="soft card-part" role="status">Reading the file…</p>
</template>

<style scoped>
.field.differs {
  border-left-color: var(--ochre);
}

.line {
  display: flex;
  gap: 8px;
  justify-content: space-between;
}

.value {
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

.mark {
  flex: none;
  color: var(--ink-soft);
  font-size: 12px;
}

.differs .mark,
.warn {
  color: var(--ochre-ink);
}

li.agrees .mark,
li.counts .mark {
  color: var(--ink-soft);
}

.block {
  border-top: 1px solid var(--hairline);
}

summary {
  display: grid;
  grid-template-columns: 12px 76px minmax(0, 1fr) auto;
  gap: 6px;
  align-items: baseline;
  padding: 4px 0;
  cursor: pointer;
}

summary::before {
  content: '▸';
  color: var(--ink-soft);
}

[open] > summary::before {
  content: '▾';
}

summary .what {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

summary .id {
  font-weight: 600;
  overflow: hidden;
  text-overflow: ellipsis;
}

summary.audio .id {
  color: var(--lichen);
}

dl {
  display: grid;
  grid-template-columns: minmax(72px, max-content) minmax(0, 1fr);
  gap: 2px 8px;
  margin: 4px 0 8px;
}

dt {
  max-width: 130px;
  color: var(--ink-soft);
  overflow-wrap: anywhere;
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

pre {
  margin: 4px 0 8px;
  overflow: auto;
  font-size: 10px;
}
</style>

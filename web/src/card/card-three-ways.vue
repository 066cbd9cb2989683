<script setup lang="ts">
import type { FieldThreeWaysSeen } from '@flagstone/contract/contents';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { fieldLabel } from '@flagstone/core/record/fields';
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { valueInLine } from '@flagstone/core/query/begun-term';
import { call } from '../api/client.ts';
import { counted, formatValue, formatWhen } from '../ui/format.ts';
import { useAnswer } from '../ui/use-answer.ts';
import { bothOf, editTaking, holdsBoth, isEmptied, takenAtOnce } from './three-way-choices.ts';

/** Where the record and the file of a copy differ: what both last agreed on, what each says now, and which of them changed it since. */
const props = defineProps<{ copyId: number; revision: number; state: string; mayEdit: boolean }>();
const emit = defineEmits<{ edit: [edit: RecordEdit] }>();

const { answer: ways } = useAnswer(
  () => props.copyId,
  (id) => call('getThreeWays', { params: { id } }),
  { dependsOn: () => [props.state, props.revision].join() },
);
const fields = computed(() => ways.value?.fields ?? []);
/** What only the record changed needs nobody: it goes into the file when it is written. */
const ofFile = computed(() => fields.value.filter(({ standing }) => standing !== 'record'));
const ofRecord = computed(() => fields.value.filter(({ standing }) => standing === 'record'));
const atOnce = computed(() => takenAtOnce(fields.value));

const SEARCHED_WORDS = 8;

const STANDINGS: Record<FieldThreeWaysSeen['standing'], string> = {
  record: '◂ the record changed',
  file: '▸ the file changed',
  both: '◆ both changed',
};
const takeInWords = (each: FieldThreeWaysSeen): string =>
  isEmptied(each) ? 'Empty the record’s too' : 'Take the file’s';
const standingOf = (each: FieldThreeWaysSeen): string =>
  holdsBoth(each) ? '◂ the record holds both' : STANDINGS[each.standing];
const others = computed(() => ways.value?.otherTexts ?? []);
/** The first words are enough to find others that say the same. */
const searchFor = (text: string) => ({
  path: '/catalogue',
  query: { q: `infile:${valueInLine(text.split(/\s+/).slice(0, SEARCHED_WORDS).join(' '))}` },
});
/** What is compared is the record on show: of one that moved on nothing is taken before it was compared anew. */
const mayTake = computed(() => props.mayEdit && ways.value?.revision === props.revision);
const take = (field: FieldThreeWaysSeen, value: unknown): void => emit('edit', editTaking([[field, value]]));
</script>

<template>
  <section v-if="ways" class="card-part" aria-label="Record and file">
    <h2>Record and file</h2>
    <p v-if="fields.length === 0" class="soft">✓ The record and the file say the same.</p>
    <template v-else>
      <p class="soft">
        {{ counted(fields.length, 'field') }} {{ fields.length === 1 ? 'differs' : 'differ' }};
        {{
          ways.agreedRevision === null
            ? 'the file never carried the record.'
            : `both last agreed on revision ${ways.agreedRevision}.`
        }}
        The file is as it was read on {{ formatWhen(ways.indexedAt) }}; what the record says goes into it when it is
        written.
      </p>
      <el-button
        v-if="mayTake && atOnce.length > 0"
        size="small"
        type="primary"
        @click="emit('edit', editTaking(atOnce))"
        >Take {{ counted(atOnce.length, 'change') }} of the file into the record</el-button
      >
      <div
        v-for="each in ofFile"
        :key="each.field"
        class="field"
        :class="{ both: each.standing === 'both' && !holdsBoth(each) }"
      >
        <h3>
          {{ fieldLabel(each.field) }} <span class="standing">{{ standingOf(each) }}</span>
        </h3>
        <dl>
          <dt>Agreed</dt>
          <dd class="soft">{{ formatValue(each.base, '(empty)') }}</dd>
          <dt>Record</dt>
          <dd>
            {{ formatValue(each.record, '(empty)') }}
            <span v-if="each.changedBy" class="soft by"
              >{{ each.changedBy.person }}, {{ formatWhen(each.changedBy.at) }}</span
            >
          </dd>
          <dt>File</dt>
          <dd>{{ formatValue(each.file, '(empty)') }}</dd>
        </dl>
        <p v-if="mayTake" class="acts">
          <el-button
            size="small"
            :aria-label="`${takeInWords(each)}: ${fieldLabel(each.field)}`"
            @click="take(each, each.file)"
            >{{ takeInWords(each) }}</el-button
          >
          <el-button
            v-if="each.standing === 'both' && !isEmptied(each) && !holdsBoth(each) && bothOf(each) !== undefined"
            size="small"
            :aria-label="`Both together: ${fieldLabel(each.field)}`"
            @click="take(each, bothOf(each))"
            >Both together</el-button
          >
        </p>
      </div>
      <details v-if="ofRecord.length > 0" class="of-record">
        <summary>
          ◂ the record changed {{ counted(ofRecord.length, 'field') }}:
          {{ ofRecord.map(({ field }) => fieldLabel(field)).join(', ') }}
        </summary>
        <dl v-for="each in ofRecord" :key="each.field">
          <dt>{{ fieldLabel(each.field) }}</dt>
          <dd>
            <del>{{ formatValue(each.base, '(empty)') }}</del> → <ins>{{ formatValue(each.record, '(empty)') }}</ins>
            <span v-if="each.changedBy" class="soft by"
              >{{ each.changedBy.person }}, {{ formatWhen(each.changedBy.at) }}</span
            >
          </dd>
        </dl>
      </details>
    </template>
    <details v-if="others.length > 0" class="of-record">
      <summary>
        The file also says {{ counted(others.length, 'thing') }} that no field holds:
        {{ others.map(({ place }) => place).join(', ') }}
      </summary>
      <dl v-for="each in others" :key="each.place">
        <dt>{{ each.place }}</dt>
        <dd>
          <router-link :to="searchFor(each.text)" :title="`Sounds whose files say so`">{{ each.text }}</router-link>
        </dd>
      </dl>
    </details>
    <p v-else-if="ways.otherTexts === null" class="soft">
      What else the file says is known when it was proved, or read again.
    </p>
  </section>
</template>

<style scoped>
.standing {
  color: var(--ink-soft);
  font-weight: 400;
}

.field.both {
  border-left-color: var(--ochre);
}

.field.both .standing {
  color: var(--ochre-ink);
}

dl {
  display: grid;
  grid-template-columns: 56px minmax(0, 1fr);
  gap: 2px 8px;
  margin: 4px 0;
}

dt {
  color: var(--ink-soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

.by {
  display: block;
  font-size: 12px;
}

.of-record {
  margin-top: 8px;
}

.of-record dl {
  grid-template-columns: 88px minmax(0, 1fr);
}

.of-record summary {
  cursor: pointer;
}

.acts {
  display: flex;
  gap: 8px;
  margin: 4px 0;
}

.acts .el-button {
  margin: 0;
}
</style>

<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { ElButton } from 'element-plus';
import { computed, onBeforeUnmount } from 'vue';
import { call } from '../api/client.ts';
import { formatFrequency, formatLevel, formatSeconds } from '../ui/format.ts';
import { useAnswer } from '../ui/use-answer.ts';
import { useLive } from '../stores/live.ts';
import { remarksOn } from './measure-remarks.ts';
import { useReadOnly } from '../ui/read-only.ts';

const isReadOnly = useReadOnly();

/** What was measured of a sound, in words first, then in numbers; what the record can take over. */
const props = defineProps<{ row: SoundRow }>();
const emit = defineEmits<{ edit: [edit: RecordEdit] }>();

const live = useLive();
const { answer: analysis, load } = useAnswer(
  () => props.row.soundId,
  (id) => call('getAnalysis', { params: { id } }),
);
const measures = computed(() => analysis.value?.measures);
onBeforeUnmount(live.onRecords((ids) => (ids.size === 0 || ids.has(props.row.soundId)) && void load()));

const remarks = computed(() => (measures.value ? remarksOn(measures.value, props.row.facts.isCutShort) : []));

const numbers = computed((): [string, string, string?][] => {
  const m = measures.value;
  if (!m) return [];
  return [
    ['Integrated loudness', formatLevel(m.integratedLufs, 'LUFS'), 'Of the whole sound, gated (ITU-R BS.1770-4)'],
    ['Loudest 400 ms', formatLevel(m.momentaryMaxLufs, 'LUFS'), 'Highest momentary loudness (EBU Tech 3341)'],
    ['Loudest 3 s', formatLevel(m.shortTermMaxLufs, 'LUFS'), 'Highest short-term loudness (EBU Tech 3341)'],
    ['Loudness range', formatLevel(m.loudnessRangeLu, 'LU'), 'EBU Tech 3342'],
    ['True peak', formatLevel(m.truePeakDbtp, 'dBTP'), 'Highest between the samples too (ITU-R BS.1770-4 annex 2)'],
    ['Sample peak', formatLevel(m.samplePeakDbfs, 'dBFS')],
    ['RMS', formatLevel(m.rmsDbfs, 'dBFS'), 'Against full scale 1: a full-scale sine has -3.0'],
    ['Crest factor', formatLevel(m.crestFactorDb, 'dB')],
    ['Noise floor', formatLevel(m.noiseFloorDbfs, 'dBFS'), 'The level that 5 % of the sound does not reach'],
    ['Layout', m.channelLayout],
    ...tracks.value,
    ...(m.correlation === null
      ? []
      : [['Correlation', m.correlation.toFixed(2), '1: the same, -1: turned round'] as [string, string, string]]),
    ...(m.spectrum
      ? ([
          ['Brightness', formatFrequency(m.spectrum.centroidHz), 'Middle of the spectrum (centroid)'],
          ['Most lies below', formatFrequency(m.spectrum.rollOffHz), '85 % of the energy (roll-off)'],
          ['Flatness', formatLevel(m.spectrum.flatnessDb, 'dB'), 'Near 0: noise; far below: tones'],
        ] as [string, string, string][])
      : []),
    [
      'Events',
      m.onsets.length === 0 ? 'none' : `${m.onsets.length}, the first at ${formatSeconds(m.onsets[0]?.seconds ?? 0)}`,
    ],
  ];
});

/** What the file calls its channels. */
const tracks = computed((): [string, string][] => {
  const named = props.row.facts.trackNames.map((name, index) => `${index + 1} ${name || '–'}`);
  return named.length === 0 ? [] : [['Tracks', named.join(', ')]];
});

/** What could go into the record: estimated by ear's rules of thumb, so it is offered and never taken by itself. */
const offers = computed(() => {
  const m = measures.value;
  if (!m) return [];
  const { form, weight, activity, tempoBpm, key } = m;
  const tempo = tempoBpm === null ? null : Math.round(tempoBpm * 10) / 10;
  const all = [
    { name: 'form', label: 'Form', value: form },
    { name: 'weight', label: 'Weight', value: weight },
    { name: 'activity', label: 'Activity', value: activity },
    { name: 'tempo', label: 'Tempo', value: tempo },
    { name: 'key', label: 'Key', value: key },
  ] as const;
  return all.filter(({ value }) => value !== null);
});
const taken = (name: 'form' | 'weight' | 'activity' | 'tempo' | 'key'): boolean =>
  offers.value.some((offer) => offer.name === name && props.row.record[name] === offer.value);

function take(names: readonly string[]): void {
  const set = Object.fromEntries(
    offers.value.filter(({ name }) => names.includes(name)).map(({ name, value }) => [name, value]),
  );
  emit('edit', { set });
}
</script>

<template>
  <section v-if="!measures" class="card-part">
    <p v-if="analysis?.error" class="attention">▲ This sound could not be measured. {{ analysis.error.message }}</p>
    <p v-else-if="analysis" class="soft">
      ○ Not measured yet. Sounds are measured in the background after their folder was read; this one comes at once when
      its waveform is shown.
    </p>
  </section>
  <template v-else>
    <section class="card-part">
      <h2>What stands out</h2>
      <p v-if="remarks.length === 0">✓ Nothing out of the ordinary.</p>
      <ul>
        <li v-for="remark in remarks" :key="remark.text" :class="{ attention: remark.isWarning }">
          {{ remark.isWarning ? '▲' : '·' }} {{ remark.text }}
        </li>
      </ul>
    </section>
    <section class="card-part">
      <h2>It sounds like</h2>
      <dl>
        <template v-for="offer in offers" :key="offer.name">
          <dt>{{ offer.label }}</dt>
          <dd>
            {{ offer.value }}
            <span v-if="taken(offer.name)" class="soft">✓ in the record</span>
            <button
              v-else-if="!isReadOnly"
              type="button"
              class="take in-line-button"
              :aria-label="`Take ${offer.label} into the record`"
              @click="take([offer.name])"
            >
              Take
            </button>
          </dd>
        </template>
      </dl>
      <el-button
        v-if="offers.some((offer) => !taken(offer.name))"
        size="small"
        @click="take(offers.map((offer) => offer.name))"
      >
        Take all {{ offers.length }} into the record
      </el-button>
    </section>
    <section class="card-part">
      <h2>Measures</h2>
      <dl>
        <template v-for="[label, value, hint] in numbers" :key="label">
          <dt :title="hint">{{ label }}</dt>
          <dd class="mono">{{ value }}</dd>
        </template>
      </dl>
    </section>
  </template>
</template>

<style scoped>
.attention {
  color: var(--ochre-ink);
}

dl {
  display: grid;
  grid-template-columns: 128px minmax(0, 1fr);
  gap: 3px 8px;
  margin: 0 0 8px;
}

dd {
  margin: 0;
}
</style>

<script setup lang="ts">
import { ROOM_NAMES, ROOMS } from '@flagstone/core/audio/try-out/rooms';
import type { TileKind } from '@flagstone/core/audio/try-out/try-out';
import { ElButton, ElCheckbox } from 'element-plus';
import { computed } from 'vue';
import type { SoundRow } from '@flagstone/contract/record';
import PickOne from '../ui/pick-one.vue';
import { usePlayer } from '../player/player-store.ts';
import { usePullLists } from '../delivery/pull-lists-store.ts';
import EqualiserCurve from './equaliser-curve.vue';
import type { TryingOut } from './use-try-out.ts';
import ValueSlider from '../ui/value-slider.vue';

/** The steps of trying a sound out, in the order in which they act. */
const props = defineProps<{ row: SoundRow; trying: TryingOut }>();

const player = usePlayer();
const pulls = usePullLists();
const { trying } = props;

const NAMES: Record<TileKind, string> = {
  trim: 'Trim silence',
  reverse: 'Reverse',
  speed: 'Speed and pitch',
  pitch: 'Pitch alone',
  time: 'Length alone',
  equaliser: 'Equaliser',
  room: 'Room or device',
  width: 'Width',
  fold: 'Fold down',
  normalise: 'Normalise',
  fades: 'Fades',
};
/** Speeds are set in semitones: a slider of percents would give all its way to the fast ones. */
const semitonesOf = (percent: number): number => Math.round(12 * Math.log2(percent / 100) * 2) / 2;
const percentOf = (semitones: number): number =>
  Math.max(25, Math.min(400, Math.round(10_000 * 2 ** (semitones / 12)) / 100));
const capital = (words: string): string => words.charAt(0).toUpperCase() + words.slice(1);
const signed = (value: number): string => (value > 0 ? `+${value}` : String(value).replace('-', '−'));

const words = computed((): Partial<Record<TileKind, string>> => {
  const { percent } = trying.tileOf('speed');
  return {
    trim: `below ${trying.tileOf('trim').belowDbfs} dBFS`.replace('-', '−'),
    speed: `${signed(semitonesOf(percent))} st · ${Math.round(percent)} %`,
    pitch: `${signed(trying.tileOf('pitch').semitones)} st`,
    time: `${trying.tileOf('time').percent} %`,
    room: `${trying.tileOf('room').wetPercent} %`,
    width: `${trying.tileOf('width').percent} %`,
    normalise: `${trying.tileOf('normalise').level}`.replace('-', '−'),
    fades: `${trying.tileOf('fades').inSeconds} s, ${trying.tileOf('fades').outSeconds} s`,
  };
});

async function pull(): Promise<void> {
  await pulls.add(props.row, player.part ?? null, trying.isOn.value ? trying.tryOut.value : null);
}
</script>

<template>
  <div class="panel-body">
    <p class="soft">
      Heard, never written: the original stays as it is. It works on the marked part, else on the whole sound.
    </p>
    <div class="actions">
      <div class="buttons">
        <el-button type="primary" :loading="trying.working.value" title="h" @click="trying.hear()"
          >{{ trying.hears.value ? 'Hear it again' : 'Hear it' }} <kbd class="key">h</kbd></el-button
        >
        <el-button :disabled="!trying.isOn.value" @click="trying.reset()">Take all back</el-button>
      </div>
      <div class="buttons">
        <el-button :disabled="trying.working.value" @click="trying.save()">Save as a file</el-button>
        <el-button title="p" @click="pull">Pull it <kbd class="key">p</kbd></el-button>
      </div>
    </div>
    <ol class="tiles">
      <li v-for="tile in trying.tryOut.value" :key="tile.kind" class="tile" :class="{ on: tile.on }">
        <div class="head">
          <el-checkbox
            :model-value="tile.on"
            :label="NAMES[tile.kind]"
            @update:model-value="(on) => trying.change(tile.kind, { on: on === true })"
          />
          <span class="mono soft">{{ words[tile.kind] }}</span>
        </div>
        <value-slider
          v-if="tile.kind === 'speed'"
          :value="semitonesOf(tile.percent)"
          :min="-24"
          :max="24"
          :step="0.5"
          label="Speed in semitones"
          @set="(value) => trying.change('speed', { percent: percentOf(value) })"
        />
        <value-slider
          v-else-if="tile.kind === 'pitch'"
          :value="tile.semitones"
          :min="-24"
          :max="24"
          :step="0.5"
          label="Pitch in semitones"
          @set="(value) => trying.change('pitch', { semitones: value })"
        />
        <value-slider
          v-else-if="tile.kind === 'time'"
          :value="tile.percent"
          :min="25"
          :max="400"
          :step="5"
          label="Length in percent"
          @set="(value) => trying.change('time', { percent: value })"
        />
        <equaliser-curve
          v-else-if="tile.kind === 'equaliser'"
          :bands="tile.bands"
          :on="tile.on"
          :sample-rate-hz="row.facts.sampleRateHz"
          @change="(bands) => trying.change('equaliser', { bands })"
        />
        <div v-else-if="tile.kind === 'room'" class="two">
          <pick-one
            :value="tile.room"
            label="Which room or device"
            :choices="ROOMS.map((room) => ({ value: room, label: capital(ROOM_NAMES[room]) }))"
            @pick="(room) => trying.change('room', { room })"
          />
          <value-slider
            :value="tile.wetPercent"
            label="How much of the room, percent"
            @set="(value) => trying.change('room', { wetPercent: value })"
          />
        </div>
        <value-slider
          v-else-if="tile.kind === 'width' && row.facts.channels === 2"
          :value="tile.percent"
          :max="200"
          :step="5"
          label="Width in percent"
          @set="(value) => trying.change('width', { percent: value })"
        />
        <p v-else-if="tile.kind === 'width'" class="soft">Only a pair of channels has a width.</p>
        <pick-one
          v-else-if="tile.kind === 'fold' && row.facts.channels > 1"
          :value="tile.to"
          label="Fold down to"
          :choices="[
            { value: 'stereo', label: 'to stereo (ITU-R BS.775)' },
            { value: 'mono', label: 'to mono' },
          ]"
          @pick="(to) => trying.change('fold', { to })"
        />
        <div v-else-if="tile.kind === 'normalise'" class="two">
          <pick-one
            :value="tile.to"
            label="Normalise to"
            :choices="[
              { value: 'loudness', label: 'loudness, LUFS' },
              { value: 'truePeak', label: 'true peak, dBTP' },
            ]"
            @pick="(to) => trying.change('normalise', { to, level: to === 'loudness' ? -23 : -1 })"
          />
          <value-slider
            :value="tile.level"
            :min="-60"
            :max="0"
            :step="0.5"
            label="Level to normalise to"
            @set="(value) => trying.change('normalise', { level: value })"
          />
        </div>
        <div v-else-if="tile.kind === 'fades'" class="two">
          <value-slider
            :value="tile.inSeconds"
            :max="5"
            :step="0.01"
            label="Fade in, seconds"
            @set="(value) => trying.change('fades', { inSeconds: value })"
          />
          <value-slider
            :value="tile.outSeconds"
            :max="5"
            :step="0.01"
            label="Fade out, seconds"
            @set="(value) => trying.change('fades', { outSeconds: value })"
          />
        </div>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.panel-body {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  padding: 10px 12px;
  overflow: auto;
}

.tiles {
  display: flex;
  flex-direction: column;
  gap: 4px;
  margin: 0;
  padding: 0;
  list-style: none;
}

.tile {
  padding: 2px 8px 4px;
  border: 1px solid var(--hairline);
  border-left-width: 4px;
}

.tile.on {
  border-left-color: var(--heather);
  background: var(--heather-wash);
}

.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
}

.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
  align-items: center;
}

.tile :deep(.el-slider) {
  width: auto;
  margin: 0 8px;
}

.actions {
  position: sticky;
  z-index: 2;
  top: -10px;
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 6px 0;
  background: var(--surface);
}

.buttons {
  display: flex;
  gap: 6px;
}

.buttons > * {
  flex: 1;
  margin: 0;
}

.key {
  margin-left: 6px;
  color: var(--ink);
}
</style>

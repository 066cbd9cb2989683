<script setup lang="ts">
import { heardSoundSchema, type HeardSound } from '@flagstone/contract/listening';
import { ElButton, ElDialog, ElRadioButton, ElRadioGroup } from 'element-plus';
import { ref, watch } from 'vue';
import { sendFile } from '../api/client.ts';
import AlikeList from './alike-list.vue';
import { counted, formatLength } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useRecording } from './use-recording.ts';

/** Finds the sounds that are nearest to one from outside: a file, or what somebody hums or knocks. */
const isOpen = defineModel<boolean>({ required: true });
/** A file that was dropped. */
const props = defineProps<{ dropped: File | undefined }>();

const sample = ref<{ name: string; audio: Blob }>();
const by = ref<'everything' | 'shape'>('everything');
const heard = ref<HeardSound>();
const isBusy = ref(false);
const picker = ref<HTMLInputElement>();

let asked = 0;
async function compare(): Promise<void> {
  const { value: own } = sample;
  if (!own) return;
  const ask = (asked += 1);
  isBusy.value = true;
  heard.value = undefined;
  const answer = await showingErrors(() => sendFile(`/sounds-like?by=${by.value}`, own.audio, heardSoundSchema));
  // Another sound was chosen meanwhile.
  if (ask !== asked) return;
  isBusy.value = false;
  heard.value = answer;
}

function take(name: string, audio: Blob, how: typeof by.value): void {
  sample.value = { name, audio };
  by.value = how;
  void compare();
}

const { isRecording, fault, start, stop } = useRecording((wav) => take('What you recorded', wav, 'shape'));

function choose(event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return;
  const [file] = event.target.files ?? [];
  if (file) take(file.name, file, 'everything');
  event.target.value = '';
}

watch(
  () => props.dropped,
  (file) => file && take(file.name, file, 'everything'),
);
watch(isOpen, (open) => !open && stop());
</script>

<template>
  <el-dialog v-model="isOpen" title="Sounds like…" width="620">
    <p class="ways">
      <el-button @click="picker?.click()">Choose a sound file…</el-button>
      <input
        ref="picker"
        type="file"
        accept="audio/*,.wav,.flac,.aif,.aiff"
        hidden
        aria-label="Sound file"
        @change="choose"
      />
      <el-button
        :type="isRecording ? 'danger' : 'default'"
        :aria-pressed="isRecording"
        @click="isRecording ? stop() : start()"
      >
        {{ isRecording ? '■ Stop and look' : '● Hum or knock it' }}
      </el-button>
      <span class="soft">or drop a file onto the list. It is compared and not kept.</span>
    </p>
    <p v-if="fault" role="alert">✕ {{ fault }}</p>
    <template v-if="sample">
      <p class="with">
        <strong class="mono">{{ sample.name }}</strong>
        <span v-if="heard" class="soft">{{ formatLength(heard.durationSeconds) }}</span>
        <el-radio-group v-model="by" size="small" aria-label="Compare by" @change="compare">
          <el-radio-button value="everything">Sound and course</el-radio-button>
          <el-radio-button value="shape">Course alone</el-radio-button>
        </el-radio-group>
      </p>
      <p class="soft" aria-live="polite">
        <template v-if="isBusy">Listening and comparing…</template>
        <template v-else-if="heard && heard.alike.length === 0"
          >Nothing to compare: it is silent, or no sound of the catalogue is measured yet.</template
        >
        <template v-else-if="heard">The nearest {{ counted(heard.alike.length, 'sound') }}, the best first:</template>
      </p>
      <div class="found"><alike-list v-if="heard" :alike="heard.alike" /></div>
    </template>
  </el-dialog>
</template>

<style scoped>
.ways,
.with {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}

.ways > * {
  margin: 0;
}

.with .soft {
  flex: 1;
}

.found {
  max-height: 380px;
  overflow: auto;
}
</style>

<script setup lang="ts">
import { ElButton } from 'element-plus';
import { onBeforeUnmount, ref } from 'vue';

/** Keys that play slices: on the screen, and those of a MIDI keyboard where there is one, from middle C upwards. */
const props = defineProps<{ count: number }>();
const emit = defineEmits<{ play: [index: number] }>();

const MIDDLE_C = 60;
const NOTE_ON = 0x90;
const MOST_KEYS = 12;

const inputs = ref<string[]>();
const refusal = ref('');
let access: MIDIAccess | undefined;

/** A note that begins plays the slice of its key (MIDI 1.0: status 9n, then key and velocity; velocity 0 ends a note). */
function hear({ data }: MIDIMessageEvent): void {
  const [status = 0, key = 0, velocity = 0] = data ?? [];
  const index = key - MIDDLE_C;
  if ((status & 0xf0) === NOTE_ON && velocity > 0 && index >= 0 && index < props.count) emit('play', index);
}

function listen(): void {
  if (!access) return;
  inputs.value = [...access.inputs.values()].map((input) => {
    input.onmidimessage = hear;
    return input.name ?? 'a keyboard';
  });
}

async function connect(): Promise<void> {
  try {
    access = await navigator.requestMIDIAccess();
    access.onstatechange = listen;
    listen();
  } catch (error) {
    refusal.value = error instanceof Error ? error.message : 'The browser allows no MIDI.';
  }
}
onBeforeUnmount(() => access?.inputs.forEach((input) => (input.onmidimessage = null)));
const canConnect = 'requestMIDIAccess' in navigator;
</script>

<template>
  <section v-if="count > 0" class="keys" aria-label="Keys that play slices">
    <div class="row">
      <button
        v-for="key in Math.min(count, MOST_KEYS)"
        :key="key"
        type="button"
        class="key"
        :aria-label="`Key of slice ${key}`"
        @pointerdown.prevent="emit('play', key - 1)"
        @keydown.enter="emit('play', key - 1)"
      >
        {{ key }}
      </button>
    </div>
    <p class="soft">
      <kbd>1</kbd> … <kbd>9</kbd> play them.
      <template v-if="refusal">✕ {{ refusal }}</template>
      <template v-else-if="inputs">{{
        inputs.length > 0 ? `✓ ${inputs.join(', ')} plays them from middle C.` : '○ No MIDI keyboard is connected.'
      }}</template>
      <el-button v-else-if="canConnect" link type="primary" @click="connect">Use a MIDI keyboard</el-button>
    </p>
  </section>
</template>

<style scoped>
.row {
  display: flex;
  gap: 2px;
}

.key {
  flex: 1;
  height: 34px;
  border: 1px solid var(--hairline);
  border-bottom-width: 4px;
  background: var(--surface);
  color: var(--ink);
  font: 12px var(--mono);
  cursor: pointer;
}

.key:active {
  background: var(--selected);
}
</style>

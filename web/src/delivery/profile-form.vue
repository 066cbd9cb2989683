<script setup lang="ts">
import type { KeptProfile } from '@flagstone/contract/deliveries';
import { PLAIN_PROFILE, type DeliveryProfile, type Sidecar } from '@flagstone/core/delivery/profile';
import { LEAST_NAME_BYTES } from '@flagstone/core/delivery/target-name';
import { MAX_NAME_BYTES } from '@flagstone/core/naming/name-blocks';
import { ElButton, ElCheckbox, ElCheckboxGroup, ElInput } from 'element-plus';
import { computed, ref } from 'vue';
import { call } from '../api/client.ts';
import PickOne from '../ui/pick-one.vue';
import ValueNumber from '../ui/value-number.vue';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { choicesOf } from '../ui/audio-words.ts';
import AudioChoices from '../ui/audio-choices.vue';
import { CASE_WORDS, CHARACTER_WORDS, PACKING_WORDS, SIDECAR_WORDS, SPACE_WORDS } from './profile-words.ts';

/** All that a delivery profile says, to be changed; kept under a name for everybody where somebody wants that. */
const props = defineProps<{ name: string }>();
const profile = defineModel<DeliveryProfile>({ required: true });
const emit = defineEmits<{ kept: [profiles: KeptProfile[], name: string] }>();

const audio = computed(() => profile.value.audio);
const rules = computed(() => profile.value.nameRules);
function set(change: Partial<DeliveryProfile>): void {
  profile.value = { ...profile.value, ...change };
}
const setAudio = (change: Partial<DeliveryProfile['audio']>): void => set({ audio: { ...audio.value, ...change } });
const setRules = (change: Partial<DeliveryProfile['nameRules']>): void =>
  set({ nameRules: { ...rules.value, ...change } });

const LEVELS = [
  { value: 'asIs' as const, label: 'As it is' },
  { value: 'peak' as const, label: 'Highest sample at' },
  { value: 'loudness' as const, label: 'Loudness at' },
];
function setLevel(kind: 'asIs' | 'peak' | 'loudness'): void {
  const levels = {
    asIs: { kind: 'asIs' },
    peak: { kind: 'peak', dbfs: -1 },
    loudness: { kind: 'loudness', lufs: -23, ceilingDbtp: -1 },
  } as const;
  setAudio({ level: levels[kind] });
}
const FOLDERS = [
  { value: 'flat' as const, label: 'Side by side' },
  { value: 'asOnDrives' as const, label: 'As on the drives' },
  { value: 'template' as const, label: 'By a template' },
];
function setFolders(kind: 'flat' | 'asOnDrives' | 'template'): void {
  set({ folders: kind === 'template' ? { kind, template: '{category}/{subCategory}' } : { kind } });
}
const NAMES = [
  { value: 'asIs' as const, label: 'As they are' },
  { value: 'template' as const, label: 'By a template' },
];
function setNames(kind: 'asIs' | 'template'): void {
  set({ names: kind === 'template' ? { kind, template: '{catId}_{fxName}' } : { kind } });
}
const sidecars = computed<Sidecar[]>({
  get: () => [...profile.value.sidecars],
  set: (chosen) => set({ sidecars: chosen }),
});

const keptName = ref(props.name);
async function keep(): Promise<void> {
  const name = keptName.value.trim();
  const profiles = await showingErrors(() => call('saveDeliveryProfile', { body: { name, profile: profile.value } }));
  if (!profiles) return;
  emit('kept', profiles, name);
  tell('Profile kept', `“${name}” can be chosen for every delivery, by everybody.`);
}
</script>

<template>
  <div class="form">
    <fieldset>
      <legend>The sound</legend>
      <audio-choices :audio="audio" :splits="true" @set="setAudio" />
      <label class="pair"
        >Level <pick-one :value="audio.level.kind" :choices="LEVELS" label="Level" @pick="setLevel" />
      </label>
      <div v-if="audio.level.kind === 'peak'" class="numbers">
        <value-number
          :value="audio.level.dbfs"
          label="Highest sample, dBFS"
          :min="-60"
          :max="0"
          :step="0.5"
          :precision="1"
          @set="(dbfs) => setAudio({ level: { kind: 'peak', dbfs } })"
        />
        dBFS
      </div>
      <div v-else-if="audio.level.kind === 'loudness'" class="numbers">
        <value-number
          :value="audio.level.lufs"
          label="Loudness, LUFS"
          :min="-60"
          :max="0"
          :step="1"
          :precision="1"
          @set="(lufs) => audio.level.kind === 'loudness' && setAudio({ level: { ...audio.level, lufs } })"
        />
        LUFS, true peak at most
        <value-number
          :value="audio.level.ceilingDbtp"
          label="Highest true peak, dBTP"
          :min="-30"
          :max="0"
          :step="0.5"
          :precision="1"
          @set="
            (ceilingDbtp) => audio.level.kind === 'loudness' && setAudio({ level: { ...audio.level, ceilingDbtp } })
          "
        />
        dBTP
      </div>
      <el-checkbox :model-value="audio.dither" @update:model-value="(on) => setAudio({ dither: on === true })"
        >Dither where samples are made shorter</el-checkbox
      >
    </fieldset>
    <fieldset>
      <legend>Folders and names</legend>
      <label class="pair"
        >Folders <pick-one :value="profile.folders.kind" :choices="FOLDERS" label="Folders" @pick="setFolders"
      /></label>
      <el-input
        v-if="profile.folders.kind === 'template'"
        :model-value="profile.folders.template"
        class="mono"
        maxlength="500"
        aria-label="Template of the folders"
        @update:model-value="(template) => set({ folders: { kind: 'template', template } })"
      />
      <label class="pair"
        >Names <pick-one :value="profile.names.kind" :choices="NAMES" label="Names" @pick="setNames"
      /></label>
      <el-input
        v-if="profile.names.kind === 'template'"
        :model-value="profile.names.template"
        class="mono"
        maxlength="500"
        aria-label="Template of the names"
        @update:model-value="(template) => set({ names: { kind: 'template', template } })"
      />
      <label class="pair"
        >Characters
        <pick-one
          :value="rules.characters"
          :choices="choicesOf(CHARACTER_WORDS)"
          label="Characters"
          @pick="(characters) => setRules({ characters })"
      /></label>
      <label class="pair"
        >Letters
        <pick-one
          :value="rules.letterCase"
          :choices="choicesOf(CASE_WORDS)"
          label="Letters"
          @pick="(letterCase) => setRules({ letterCase })"
      /></label>
      <label class="pair"
        >Spaces
        <pick-one
          :value="rules.spaces"
          :choices="choicesOf(SPACE_WORDS)"
          label="Spaces"
          @pick="(spaces) => setRules({ spaces })"
      /></label>
      <label class="pair"
        >Longest name
        <span class="numbers"
          ><value-number
            :value="rules.mostBytes"
            label="Longest name, bytes"
            :min="LEAST_NAME_BYTES"
            :max="MAX_NAME_BYTES"
            :step="1"
            @set="(mostBytes) => setRules({ mostBytes })"
          />
          bytes</span
        ></label
      >
    </fieldset>
    <fieldset>
      <legend>With them</legend>
      <el-checkbox :model-value="profile.withRecord" @update:model-value="(on) => set({ withRecord: on === true })"
        >Each record in its copy</el-checkbox
      >
      <el-checkbox-group v-model="sidecars" class="beside" aria-label="Beside the sounds">
        <el-checkbox v-for="each in choicesOf(SIDECAR_WORDS)" :key="each.value" :value="each.value">{{
          each.label
        }}</el-checkbox>
      </el-checkbox-group>
      <label class="pair"
        >Packed as
        <pick-one
          :value="profile.packing"
          :choices="choicesOf(PACKING_WORDS)"
          label="Packed as"
          @pick="(packing) => set({ packing })"
      /></label>
      <label v-if="profile.packing === 'bag'" class="pair"
        >Checksums
        <pick-one
          :value="profile.bagDigest"
          :choices="[
            { value: 'sha256' as const, label: 'SHA-256' },
            { value: 'sha512' as const, label: 'SHA-512' },
          ]"
          label="Checksums"
          @pick="(bagDigest) => set({ bagDigest })"
      /></label>
      <form class="keep" @submit.prevent="keep">
        <el-input v-model="keptName" maxlength="200" placeholder="Name of a profile" aria-label="Name of a profile" />
        <el-button native-type="submit" :disabled="keptName.trim() === ''">Keep as a profile</el-button>
      </form>
      <el-button link @click="profile = PLAIN_PROFILE">Begin anew, with files as they are</el-button>
    </fieldset>
  </div>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 20px;
}

fieldset {
  display: flex;
  flex-direction: column;
  gap: 8px;
  margin: 0;
  padding: 12px;
  border: 1px solid var(--hairline);
}

legend {
  padding: 0 6px;
  font-weight: 600;
}

.pair {
  display: grid;
  grid-template-columns: 100px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
}

.numbers {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}

.numbers :deep(.el-input-number) {
  width: 96px;
}

.beside {
  display: flex;
  flex-direction: column;
}

.keep {
  display: flex;
  gap: 6px;
  margin-top: auto;
}
</style>

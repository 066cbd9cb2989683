<script setup lang="ts">
import type { Arrival, ArrivalAudio } from '@flagstone/contract/arrivals';
import { ElButton, ElCheckbox, ElDialog, ElInput, ElRadio, ElRadioGroup } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import AudioChoices from '../ui/audio-choices.vue';
import PickOne from '../ui/pick-one.vue';
import { counted, formatBytes, formatDay } from '../ui/format.ts';
import { server } from '../ui/server.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useCollections } from '../stores/collections.ts';
import { useRights } from '../stores/rights.ts';
import { useArriving } from './arriving-store.ts';
import { FileDigests } from './file-digests.ts';
import { sortFiles, suggestedName, type GatheredFile, type LeftFile } from './gathered-files.ts';
import LandingChoice from './landing-choice.vue';
import { useHeldCheck } from './use-held-check.ts';

/** What was handed over, told apart before anything is sent; under which name it comes in, where it lands, and what it becomes. */
const arriving = useArriving();
const collections = useCollections();
const rights = useRights();
const router = useRouter();
const check = useHeldCheck(server, () => new FileDigests());

const isOpen = computed({
  get: () => arriving.offer !== undefined,
  set: (open) => {
    if (!open) arriving.offer = undefined;
  },
});
const sorted = computed(() =>
  arriving.offer && 'files' in arriving.offer ? sortFiles(arriving.offer.files) : undefined,
);
const folder = computed(() => (arriving.offer && 'folder' in arriving.offer ? arriving.offer.folder : undefined));
const choices = computed(() => collections.open.filter(({ id }) => rights.mayIn('librarian', id)));
const collectionId = ref<number>();
const collection = computed(() => choices.value.find(({ id }) => id === collectionId.value) ?? choices.value[0]);
const name = ref('');
const onlyNew = ref(true);
const listsLeft = ref(false);
const converts = ref(false);
const AS_IT_IS: ArrivalAudio = { container: 'asIs', sampleRateHz: null, depth: 'asIs', dither: true, channels: 'asIs' };
const audio = ref<ArrivalAudio>(AS_IT_IS);
const isBusy = ref(false);
/** Begun before, on this page or on another one, and not closed. */
const begun = ref<Arrival[]>([]);
const goesOnWith = ref(0);

watch(
  () => arriving.offer,
  async (offer) => {
    check.stop();
    if (!offer) return;
    listsLeft.value = false;
    goesOnWith.value = 0;
    name.value = sorted.value
      ? suggestedName(sorted.value, formatDay(new Date().toISOString()))
      : (folder.value?.split('/').filter(Boolean).at(-1) ?? '');
    void collections.load();
    if (!sorted.value) return;
    void check.check(sorted.value.sounds);
    begun.value = (await showingErrors(() => call('listArrivals')))?.filter(({ state }) => state === 'receiving') ?? [];
  },
);

const isHeld = ({ path }: GatheredFile): boolean => onlyNew.value && check.held.value.has(path);
const toSend = computed(() => {
  const { sounds = [], packs = [] } = sorted.value ?? {};
  return [...packs, ...sounds.filter((file) => !isHeld(file))];
});
const bytes = computed(() => toSend.value.reduce((sum, { file }) => sum + file.size, 0));
const goingOn = computed(() => begun.value.find(({ id }) => id === goesOnWith.value));
const isReady = computed(
  () =>
    (folder.value !== undefined || toSend.value.length > 0) &&
    (goingOn.value !== undefined || (name.value.trim() !== '' && typeof collection.value?.landingPath === 'string')),
);
const left = computed<LeftFile[]>(() => [
  ...(sorted.value?.left ?? []),
  ...(onlyNew.value
    ? [...check.held.value].map(([path, as]) => ({
        path,
        bytes: 0,
        why: `Held already, as ${as}`,
        heldAs: as.slice(0, 300),
      }))
    : []),
]);

async function begin(): Promise<void> {
  const { value: into } = collection;
  const { value: files } = toSend;
  if (goingOn.value) {
    arriving.send(goingOn.value, files, left.value);
    isOpen.value = false;
    return void router.push('/intake');
  }
  if (!into) return;
  isBusy.value = true;
  const made = await showingErrors(() =>
    call('makeArrival', {
      body: {
        name: name.value.trim(),
        collectionId: into.id,
        onlyNew: onlyNew.value,
        audio: converts.value ? audio.value : null,
        ...(folder.value === undefined ? {} : { source: folder.value }),
      },
    }),
  );
  isBusy.value = false;
  if (!made) return;
  if (folder.value === undefined) arriving.send(made.arrival, files, left.value);
  else tell(`“${made.arrival.name}” is being copied`, 'Its batch opens when the files are there; the originals stay.');
  isOpen.value = false;
  await router.push('/intake');
}

const act = computed(() => {
  if (folder.value !== undefined) return 'Copy them in';
  return toSend.value.length === 0 ? 'Nothing to send' : `Send ${counted(toSend.value.length, 'file')}`;
});
</script>

<template>
  <el-dialog v-model="isOpen" title="Bring in" width="680">
    <form @submit.prevent="begin">
      <section v-if="sorted" class="found" aria-live="polite">
        <p>
          <strong>{{ counted(sorted.sounds.length, 'sound') }}</strong>
          <template v-if="sorted.packs.length > 0">
            and <strong>{{ counted(sorted.packs.length, 'pack') }}</strong> to be unpacked</template
          >, {{ formatBytes(sorted.bytes) }}.
        </p>
        <p v-if="!check.isDone.value" class="soft">
          ◔ Looking which are held already: {{ check.looked.value.toLocaleString('en') }} of
          {{ check.total.value.toLocaleString('en') }}. Only their digests are sent for that.
        </p>
        <p v-else-if="check.held.value.size > 0">
          ■ {{ counted(check.held.value.size, 'sound is', 'sounds are') }} held already{{
            onlyNew ? ', and not sent' : ''
          }}.
        </p>
        <p v-else-if="sorted.sounds.length > 0" class="soft">○ None of the sounds is held yet.</p>
        <p v-if="sorted.packs.length > 0" class="soft">What a pack holds is told apart when it is unpacked.</p>
        <p v-if="left.length > 0">
          <el-button link type="primary" :aria-expanded="listsLeft" @click="listsLeft = !listsLeft"
            >{{ listsLeft ? '▾' : '▸' }} {{ counted(left.length, 'file') }} left out</el-button
          >
        </p>
        <ul v-if="listsLeft" class="left">
          <li v-for="each in left.slice(0, 500)" :key="each.path">
            <span class="mono">{{ each.path }}</span> <span class="soft">{{ each.why }}</span>
          </li>
          <li v-if="left.length > 500" class="soft">and {{ counted(left.length - 500, 'more file') }}</li>
        </ul>
      </section>
      <p v-else class="found">
        All sounds and folders of <span class="mono">{{ folder }}</span>, which stays as it is.
      </p>

      <el-radio-group v-if="begun.length > 0" v-model="goesOnWith" class="which" aria-label="Which batch">
        <el-radio :value="0">A batch of its own</el-radio>
        <el-radio v-for="each in begun" :key="each.id" :value="each.id"
          >Go on with “{{ each.name }}” ({{ each.files.here.toLocaleString('en') }} of
          {{ (each.files.here + each.files.announced).toLocaleString('en') }} files are here)</el-radio
        >
      </el-radio-group>
      <template v-if="!goingOn">
        <div class="fields">
          <label class="pair">Name <el-input v-model="name" maxlength="120" aria-label="Name of the batch" /></label>
          <label v-if="choices.length > 1 && collection" class="pair"
            >Collection
            <pick-one
              :value="collection.id"
              :choices="choices.map((each) => ({ value: each.id, label: each.name }))"
              label="Collection"
              @pick="(id) => (collectionId = id)"
          /></label>
        </div>
        <landing-choice v-if="collection" :collection="collection" />
        <p class="checks">
          <el-checkbox v-model="onlyNew">Leave out what is held already</el-checkbox>
          <el-checkbox v-model="converts">Convert on the way in; audio stays as it is otherwise</el-checkbox>
        </p>
        <div v-if="converts" class="audio">
          <audio-choices
            :audio="audio"
            @set="(change) => (audio = { ...audio, ...(change as Partial<ArrivalAudio>) })"
          />
          <el-checkbox v-model="audio.dither">Dither where samples become shorter</el-checkbox>
        </div>
      </template>
      <p class="foot">
        <span v-if="sorted" class="soft">{{ formatBytes(bytes) }} to send</span>
        <el-button @click="isOpen = false">Cancel</el-button>
        <el-button type="primary" native-type="submit" :loading="isBusy" :disabled="!isReady">{{ act }}</el-button>
      </p>
    </form>
  </el-dialog>
</template>

<style scoped>
.found p {
  margin: 4px 0;
}

.left {
  max-height: 140px;
  margin: 4px 0;
  padding: 6px 10px;
  overflow: auto;
  border: 1px solid var(--hairline);
  list-style: none;
}

.which {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  margin: 8px 0;
}

.fields {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 16px;
  margin: 12px 0 8px;
}

.pair {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 8px;
  align-items: center;
}

.checks {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  margin: 8px 0;
}

.audio {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 16px;
  padding: 10px;
  border: 1px solid var(--hairline);
}

.foot {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: flex-end;
  margin-top: 16px;
}

.foot .el-button + .el-button {
  margin-left: 0;
}
</style>

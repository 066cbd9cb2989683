<script setup lang="ts">
import type { DeliveryWhat, KeptProfile } from '@flagstone/contract/deliveries';
import type { ListFilter, Selection } from '@flagstone/contract/selection';
import { useLocalStorage } from '@vueuse/core';
import { ElButton, ElCheckbox, ElDialog, ElInput, ElRadio, ElRadioGroup } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import FolderPicker from '../ui/folder-picker.vue';
import { USES, USE_WORDS, type Use } from '@flagstone/core/licences/terms';
import { counted } from '../ui/format.ts';
import PickOne from '../ui/pick-one.vue';
import { showingErrors } from '../ui/use-errors.ts';
import { profileInWords } from './profile-words.ts';

/** A new delivery: what goes to whom, in which form and where to. Its tree is laid, and nothing is made yet. */
const props = defineProps<{
  /** What is selected, and all that the list finds; or a pull list by its name. */
  of:
    | { selection: Selection | undefined; filter: ListFilter; count: number; total: number }
    | { listId: number; name: string };
}>();
const isOpen = defineModel<boolean>({ required: true });
const router = useRouter();

const whole = ref(false);
const cut = ref(false);
const name = ref('');
const forWhom = ref('');
const use = ref<Use | ''>('');
const USE_CHOICES = USES.map((value) => ({ value, label: USE_WORDS[value] }));
const folder = useLocalStorage('flagstone.deliverFolder', '');
const profileName = useLocalStorage('flagstone.deliverProfile', '');
const profiles = ref<KeptProfile[]>([]);
const picking = ref(false);
const isBusy = ref(false);

watch(isOpen, async (open) => {
  if (!open) return;
  const { of } = props;
  if ('count' in of) whole.value = of.count === 0;
  else name.value = of.name;
  const known = await showingErrors(() => call('listDeliveryProfiles'));
  if (known) profiles.value = known;
});
const profile = computed(() => profiles.value.find((each) => each.name === profileName.value) ?? profiles.value[0]);
const what = computed<DeliveryWhat | undefined>(() => {
  const { of } = props;
  if ('listId' in of) return { kind: 'list', listId: of.listId };
  const selection: Selection | undefined = whole.value ? { kind: 'catalogue', filter: of.filter } : of.selection;
  return selection && { kind: 'sounds', selection, cut: cut.value ? 'slices' : 'whole' };
});
const isReady = computed(
  () =>
    what.value !== undefined && profile.value !== undefined && name.value.trim() !== '' && folder.value.trim() !== '',
);

async function make(): Promise<void> {
  const { value: kept } = profile;
  if (!what.value || !kept) return;
  isBusy.value = true;
  const body = {
    name: name.value,
    forWhom: forWhom.value,
    use: use.value,
    isCommercial: true,
    show: '',
    deadline: '',
    what: what.value,
    folder: folder.value,
    profileName: kept.name,
    profile: kept.profile,
  };
  const made = await showingErrors(() => call('makeDelivery', { body }));
  isBusy.value = false;
  if (!made) return;
  isOpen.value = false;
  await router.push(`/deliveries/${made.id}`);
}
</script>

<template>
  <el-dialog v-model="isOpen" title="Deliver" width="600">
    <form class="form" @submit.prevent="make">
      <template v-if="'count' in of">
        <el-radio-group v-model="whole" aria-label="What">
          <el-radio :value="false" :disabled="of.count === 0">{{ counted(of.count, 'sound') }} selected</el-radio>
          <el-radio :value="true">All {{ counted(of.total, 'sound') }} that the list finds, then as now</el-radio>
        </el-radio-group>
        <el-checkbox v-model="cut">Each slice as a file of its own, where a sound has slices</el-checkbox>
      </template>
      <p v-else class="soft">
        Everything on the list, then as now: marked parts as parts, what was tried out as it sounds.
      </p>
      <label class="pair"
        >Name <el-input v-model="name" maxlength="200" placeholder="What it is for: a show, a scene, a reel"
      /></label>
      <label class="pair"
        >For whom <el-input v-model="forWhom" maxlength="200" placeholder="A team, a house, a person"
      /></label>
      <label class="pair"
        >Use
        <pick-one
          :value="use === '' ? undefined : use"
          :choices="USE_CHOICES"
          label="Use"
          placeholder="What it is for: licences are held to it"
          @pick="(picked) => (use = picked)"
      /></label>
      <label class="pair"
        >Form
        <pick-one
          :value="profile?.name"
          :choices="profiles.map((each) => ({ value: each.name, label: each.name }))"
          label="Form"
          @pick="(picked) => (profileName = picked)"
      /></label>
      <p v-if="profile" class="soft words">
        {{ profileInWords(profile.profile).join('  ·  ') }}. All of it can be changed next.
      </p>
      <div class="folder">
        <label class="pair"
          >Where to <el-input v-model="folder" aria-label="Where to" placeholder="/path/of/the/folder"
        /></label>
        <el-button @click="picking = true">Choose…</el-button>
      </div>
      <p class="foot">
        <span class="soft">Next you see what goes where. Nothing is made yet.</span>
        <el-button @click="isOpen = false">Cancel</el-button>
        <el-button type="primary" native-type="submit" :loading="isBusy" :disabled="!isReady">Lay it out</el-button>
      </p>
    </form>
    <folder-picker v-model="picking" @choose="(path) => (folder = path)" />
  </el-dialog>
</template>

<style scoped>
.form {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.pair {
  display: grid;
  flex: 1;
  grid-template-columns: 80px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
}

.words {
  padding-left: 88px;
}

.folder {
  display: flex;
  gap: 8px;
}

.foot {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: flex-end;
  margin-top: 8px;
}

.foot .soft {
  flex: 1;
}
</style>

<script setup lang="ts">
import type { Selection } from '@flagstone/contract/selection';
import { SHEET_PARTS, type SheetPart } from '@flagstone/contract/sheet-parts';
import { ElButton, ElCheckbox, ElCheckboxGroup, ElDialog, ElInput } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { call, fetchBytes } from '../api/client.ts';
import { useRights } from '../stores/rights.ts';
import { counted, formatDay } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { PART_NAMES, PART_SENT } from './sheet-words.ts';

/** A change sheet of some sounds: for whom, and whether all of them or what changed since the last one. */
const props = defineProps<{ selection: Selection | undefined; what: string }>();
const isOpen = defineModel<boolean>({ required: true });

type Recipient = Awaited<ReturnType<typeof call<'listSheetRecipients'>>>[number];
const recipients = ref<Recipient[]>([]);
const forWhom = ref('');
const onlyChanged = ref(false);
const parts = ref<SheetPart[]>([]);
const working = ref(false);
const rights = useRights();
/** What others read of whom the sheet is. */
const ownName = ref('');
let nameBefore = '';

watch(
  isOpen,
  (open) =>
    void (
      open &&
      showingErrors(async () => {
        const [known, house] = await Promise.all([call('listSheetRecipients'), call('getHouse')]);
        recipients.value = known;
        ownName.value = house.name;
        nameBefore = house.name;
      })
    ),
  { immediate: true },
);
const last = computed(() => recipients.value.find((each) => each.forWhom === forWhom.value.trim()));
watch(last, (known) => (onlyChanged.value = known !== undefined));

async function make(): Promise<void> {
  const { selection } = props;
  if (!selection) return;
  working.value = true;
  const house = ownName.value.trim();
  if (rights.isAdministrator && house !== nameBefore)
    await showingErrors(() => call('nameHouse', { body: { name: house } }));
  const body = {
    selection,
    forWhom: forWhom.value.trim(),
    onlyChanged: onlyChanged.value && last.value !== undefined,
    parts: parts.value,
  };
  const made = await showingErrors(() => fetchBytes('/sheets/make', { body }));
  working.value = false;
  if (!made) return;
  const name = `change sheet ${body.forWhom} ${new Date().toISOString().slice(0, 10)}.zip`.replace(/ {2,}/g, ' ');
  const address = URL.createObjectURL(new Blob([made.bytes], { type: 'application/zip' }));
  const link = Object.assign(document.createElement('a'), { href: address, download: name });
  link.click();
  URL.revokeObjectURL(address);
  isOpen.value = false;
  tell('Change sheet made', `“${name}” is among your downloads. Send it to those who hold the audio.`);
}
</script>

<template>
  <el-dialog v-model="isOpen" title="Make a change sheet" width="560">
    <p class="soft">
      The records and names of {{ what }}, without audio, signed by your house: who holds the same sounds under whatever
      names applies it there.
    </p>
    <form class="form" @submit.prevent="make">
      <label>
        From
        <el-input
          v-model="ownName"
          maxlength="200"
          :disabled="!rights.isAdministrator"
          :placeholder="rights.isAdministrator ? 'What your house is called' : 'An administrator names your house'"
        />
      </label>
      <label>
        For whom
        <el-input v-model="forWhom" maxlength="200" list="sheet-recipients" placeholder="A house, a team, a person" />
      </label>
      <datalist id="sheet-recipients">
        <option v-for="each in recipients" :key="each.forWhom" :value="each.forWhom" />
      </datalist>
      <el-checkbox v-if="last" v-model="onlyChanged"
        >Only what changed since the last one, of {{ formatDay(last.madeAt) }} ({{ counted(last.sounds, 'sound') }} sent
        so far)</el-checkbox
      >
      <fieldset>
        <legend>Along with the records</legend>
        <el-checkbox-group v-model="parts">
          <el-checkbox v-for="part in SHEET_PARTS" :key="part" :value="part"
            ><strong>{{ PART_NAMES[part] }}</strong> <span class="soft">{{ PART_SENT[part] }}</span></el-checkbox
          >
        </el-checkbox-group>
      </fieldset>
    </form>
    <template #footer>
      <el-button @click="isOpen = false">Cancel</el-button>
      <el-button type="primary" :loading="working" :disabled="!selection" @click="make">Make the sheet</el-button>
    </template>
  </el-dialog>
</template>

<style scoped>
.form {
  display: grid;
  gap: 10px;
  margin-top: 12px;
}

fieldset {
  margin: 0;
  padding: 6px 12px;
  border: 1px solid var(--hairline);
}

.el-checkbox {
  display: flex;
  margin-right: 0;
}

.el-checkbox .soft {
  margin-left: 6px;
}
</style>

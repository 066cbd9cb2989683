<script setup lang="ts">
import type { Authority } from '@flagstone/contract/authorities';
import { PUBLIC_LICENCES, publicLicence } from '@flagstone/core/licences/public-licences';
import { UNSAID_TERMS, type Answer, type LicenceTerms } from '@flagstone/core/licences/terms';
import {
  ElButton,
  ElCheckbox,
  ElDatePicker,
  ElDialog,
  ElInput,
  ElInputNumber,
  ElRadioButton,
  ElRadioGroup,
} from 'element-plus';
import { ref, watch } from 'vue';
import { call } from '../api/client.ts';
import PickOne from '../ui/pick-one.vue';
import { showingErrors } from '../ui/use-errors.ts';

/** What a licence allows, as somebody read it; common public ones fill it in. */
const props = defineProps<{ licence: Authority | undefined }>();
const isOpen = defineModel<boolean>({ required: true });
const emit = defineEmits<{ saved: [authorities: Authority[]] }>();

const terms = ref<LicenceTerms>({ ...UNSAID_TERMS });
watch(isOpen, async (open) => {
  const { licence } = props;
  if (!open || !licence) return;
  terms.value = { ...UNSAID_TERMS };
  const known = await showingErrors(() => call('getLicence', { query: { name: licence.name, url: licence.code } }));
  if (known?.terms) terms.value = known.terms;
});

const QUESTIONS: { key: 'commercial' | 'adapted' | 'broadcast' | 'games' | 'redistribution'; label: string }[] = [
  { key: 'commercial', label: 'Commercial use' },
  { key: 'adapted', label: 'Part of another work: under a picture, in a game' },
  { key: 'broadcast', label: 'Broadcast' },
  { key: 'games', label: 'Games' },
  { key: 'redistribution', label: 'Handed on as a sound' },
];
const ANSWERED: { value: Answer; label: string }[] = [
  { value: 'yes', label: '✓ allowed' },
  { value: 'no', label: '✕ not allowed' },
  { value: 'unsaid', label: '? not said' },
];
const publics = PUBLIC_LICENCES.map(({ name, terms: { spdx } }) => ({ value: spdx, label: `${name} (${spdx})` }));
function fillIn(spdx: string): void {
  const found = publicLicence(spdx);
  if (found) terms.value = { ...terms.value, ...found.terms };
}

async function save(value: LicenceTerms | null): Promise<void> {
  const { licence } = props;
  if (!licence) return;
  const now = await showingErrors(() =>
    call('saveLicenceTerms', { params: { id: licence.id }, body: { terms: value } }),
  );
  if (!now) return;
  emit('saved', now);
  isOpen.value = false;
}
</script>

<template>
  <el-dialog v-model="isOpen" :title="`What “${licence?.name ?? ''}” allows`" width="640">
    <form class="form" @submit.prevent="save(terms)">
      <div class="pair">
        <span>Fill in from</span>
        <pick-one
          :value="terms.spdx === '' ? undefined : terms.spdx"
          :choices="publics"
          label="Fill in from a public licence"
          placeholder="A public licence"
          @pick="fillIn"
        />
      </div>
      <div v-for="each in QUESTIONS" :key="each.key" class="pair">
        <span>{{ each.label }}</span>
        <el-radio-group v-model="terms[each.key]" :aria-label="each.label">
          <el-radio-button v-for="answer in ANSWERED" :key="answer.value" :value="answer.value">{{
            answer.label
          }}</el-radio-button>
        </el-radio-group>
      </div>
      <div class="pair">
        <span>It asks for</span>
        <span class="line">
          <el-checkbox v-model="terms.attribution">naming its author</el-checkbox>
          <el-checkbox v-model="terms.shareAlike">the same licence for the work</el-checkbox>
        </span>
      </div>
      <label class="pair"
        >Credit
        <el-input
          v-model="terms.credit"
          maxlength="500"
          placeholder="“{fxName}” by {creator}, where another form is asked for"
      /></label>
      <div class="pair">
        <span>It holds</span>
        <span class="line">
          <el-date-picker
            v-model="terms.from"
            type="date"
            value-format="YYYY-MM-DD"
            :value-on-clear="''"
            placeholder="from"
            aria-label="Holds from"
          />
          <el-date-picker
            v-model="terms.until"
            type="date"
            value-format="YYYY-MM-DD"
            :value-on-clear="''"
            placeholder="until"
            aria-label="Holds until"
          />
        </span>
      </div>
      <label class="pair"
        >Territories <el-input v-model="terms.territories" maxlength="300" placeholder="Everywhere"
      /></label>
      <label class="pair"
        >Only for the show <el-input v-model="terms.onlyShow" maxlength="200" placeholder="Any"
      /></label>
      <label class="pair"
        >People who may work with it
        <el-input-number
          v-model="terms.seats"
          :min="1"
          :max="100000"
          :value-on-clear="null"
          placeholder="Any number"
          controls-position="right"
      /></label>
      <label class="pair"
        >Notes
        <el-input
          v-model="terms.notes"
          maxlength="4000"
          type="textarea"
          :rows="2"
          placeholder="Where it stands, the number of the order"
      /></label>
      <p class="foot">
        <el-button v-if="licence?.hasTerms" @click="save(null)">Say nothing of it</el-button>
        <span class="spring" />
        <el-button @click="isOpen = false">Cancel</el-button>
        <el-button type="primary" native-type="submit">Keep</el-button>
      </p>
    </form>
  </el-dialog>
</template>

<style scoped>
.form {
  display: flex;
  flex-direction: column;
  gap: 6px;
}

.pair {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 10px;
  align-items: center;
}

.line,
.foot {
  display: flex;
  gap: 8px;
  align-items: center;
}

.spring {
  flex: 1;
}
</style>

<script setup lang="ts">
import type { Delivery } from '@flagstone/contract/deliveries';
import { ElButton, ElInput } from 'element-plus';
import { ref } from 'vue';
import { call } from '../api/client.ts';
import { useRights } from '../stores/rights.ts';
import { counted, formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** The licences that do not simply allow what a delivery is for, and what somebody decided about those that stop it. */
const props = defineProps<{ delivery: Delivery }>();
const emit = defineEmits<{ decided: [] }>();
const rights = useRights();

const WORDS = { forbidden: '✕ stops it', unread: '? not known', open: '▲ asks for something' } as const;
/** The licence that somebody is deciding about. */
const asked = ref<string>();
const reason = ref('');
function begin(licence: string): void {
  asked.value = licence;
  reason.value = '';
}
async function decide(licence: string, why: string): Promise<void> {
  const done = await showingErrors(() =>
    call('decideLicence', { params: { id: props.delivery.id }, body: { licence, reason: why.trim() } }),
  );
  if (!done) return;
  asked.value = undefined;
  emit('decided');
}
</script>

<template>
  <section v-if="delivery.licences.length > 0" class="licences" aria-label="Licences">
    <div v-for="each in delivery.licences" :key="each.licence" class="one">
      <span :class="each.verdict">{{ each.decision ? '◆ decided' : WORDS[each.verdict] }}</span>
      <span>
        <strong>{{ each.licence === '' ? 'No licence' : each.licence }}</strong>
        <span class="soft">, {{ counted(each.files, 'file') }}: {{ each.reasons.join('; ') }}</span>
        <span v-if="each.decision">
          — {{ each.decision.person }}, {{ formatWhen(each.decision.at) }}: {{ each.decision.reason }}</span
        >
        <span v-else-if="each.verdict === 'forbidden' && !rights.may('librarian')" class="soft">
          — a librarian may decide</span
        >
      </span>
      <template v-if="rights.may('librarian') && each.verdict === 'forbidden'">
        <el-button v-if="each.decision" size="small" @click="decide(each.licence, '')">Take it back</el-button>
        <el-button v-else-if="asked !== each.licence" size="small" @click="begin(each.licence)"
          >Deliver all the same…</el-button
        >
        <form v-else class="why" @submit.prevent="decide(each.licence, reason)">
          <el-input
            v-model="reason"
            size="small"
            maxlength="1000"
            placeholder="Why: who agreed, where it is written"
            aria-label="Why it is delivered all the same"
          />
          <el-button size="small" native-type="submit" type="primary" :disabled="reason.trim() === ''"
            >Decide</el-button
          >
          <el-button size="small" @click="asked = undefined">Cancel</el-button>
        </form>
      </template>
    </div>
  </section>
</template>

<style scoped>
.licences {
  max-height: 112px;
  padding: 4px 10px;
  border: 1px solid var(--ochre);
  overflow: auto;
}

.one {
  display: grid;
  grid-template-columns: 140px minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
  padding: 2px 0;
}

.why {
  display: flex;
  gap: 6px;
  width: 440px;
}

.forbidden {
  color: var(--iron);
}

.unread,
.open {
  color: var(--ochre-ink);
}
</style>

<script setup lang="ts">
import type { Proposal } from '@flagstone/contract/review';
import { fieldLabel } from '@flagstone/core/record/fields';
import { ElButton } from 'element-plus';
import { ref } from 'vue';
import { useSession } from '../stores/session.ts';
import { formatValue } from '../ui/format.ts';
import { server } from '../ui/server.ts';

/** What others, or oneself, would have a field say: it waits until a librarian decides. */
const props = defineProps<{ proposals: readonly Proposal[]; mayDecide: boolean }>();
const session = useSession();
const isBusy = ref(false);

async function act(work: () => Promise<unknown>): Promise<void> {
  isBusy.value = true;
  await server.attempt(work);
  isBusy.value = false;
}
const accept = ({ id }: Proposal): Promise<void> =>
  act(() => server.call('decideProposals', { body: { ids: [id], decision: 'accepted', remark: '' } }));
const takeBack = ({ id }: Proposal): Promise<void> =>
  act(() => server.call('withdrawProposals', { body: { ids: [id] } }));
const isOwn = ({ personId }: Proposal): boolean => personId === session.personId;
const who = (proposal: Proposal): string => (isOwn(proposal) ? 'You propose' : `${proposal.person} proposes`);
</script>

<template>
  <span v-for="each in props.proposals" :key="each.id" class="proposal">
    ◇ {{ who(each) }}: <strong>{{ formatValue(each.value) }}</strong>
    <el-button
      v-if="mayDecide"
      size="small"
      :loading="isBusy"
      :aria-label="`Accept ${fieldLabel(each.field)} of ${each.person}`"
      @click.prevent="accept(each)"
      >Accept</el-button
    >
    <el-button
      v-if="isOwn(each)"
      size="small"
      :loading="isBusy"
      :aria-label="`Take back ${fieldLabel(each.field)}`"
      @click.prevent="takeBack(each)"
      >Take back</el-button
    >
  </span>
</template>

<style scoped>
.proposal {
  grid-column: 2;
  padding: 2px 0 4px 6px;
  border-left: 3px solid var(--lichen);
  font-size: 12px;
  overflow-wrap: anywhere;
}

.proposal .el-button {
  margin-left: 6px;
}
</style>

<script setup lang="ts">
import type { SoundRow } from '@flagstone/contract/record';
import type { Proposal } from '@flagstone/contract/proposal';
import { fieldLabel } from '@flagstone/core/record/fields';
import { ElButton } from 'element-plus';
import { ref } from 'vue';
import { asOfRows } from '../lists/save-edit.ts';
import { useSession } from '../stores/session.ts';
import { formatValue } from '../ui/format.ts';
import { server } from '../ui/server.ts';

/** What others, or oneself, would have a field say: it waits until a librarian decides. */
const props = defineProps<{ row: SoundRow; proposals: readonly Proposal[]; mayDecide: boolean }>();
const session = useSession();
const isBusy = ref(false);

async function act(work: () => Promise<unknown>): Promise<void> {
  isBusy.value = true;
  await server.attempt(work);
  isBusy.value = false;
}
const accept = ({ id }: Proposal): Promise<void> =>
  act(async () => {
    const asOf = asOfRows([props.row]);
    const { conflicts } = await server.call('decideProposals', {
      body: { ids: [id], decision: 'accepted', remark: '', asOf },
    });
    const [first] = conflicts;
    if (first)
      server.tell(`${first.person} changed it meanwhile`, 'It says so now. Accept it once more to have it so.');
  });
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

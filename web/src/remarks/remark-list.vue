<script setup lang="ts">
import { MOST_REMARK_LETTERS } from '@flagstone/contract/remarks';
import { ElButton, ElMention } from 'element-plus';
import { computed } from 'vue';
import { useLive } from '../stores/live.ts';
import { useRights } from '../stores/rights.ts';
import { useSession } from '../stores/session.ts';
import { formatWhen } from '../ui/format.ts';
import { server } from '../ui/server.ts';
import { piecesOf, strangersIn, useRemarks } from './use-remarks.ts';

/** What people say about a sound, the newest first, and the line in which one says something to it. */
const props = defineProps<{ soundId: number; collectionId: number | null }>();
const session = useSession();
const rights = useRights();
const { remarks, hasEarlier, earlier, draft, say, isBusy, remove, settle } = useRemarks(
  () => props.soundId,
  server,
  useLive(),
);

const maySay = computed(() => rights.mayIn('editor', props.collectionId));
const names = computed(() => session.people.map(({ name }) => name));
/** Only those who can read it are offered. */
const choices = computed(() =>
  session.people.filter(({ isHere }) => isHere).map(({ name }) => ({ value: name, label: name })),
);
/** What is pasted is never cut short unseen: whoever says it shortens it. */
const isTooLong = computed(() => draft.value.trim().length > MOST_REMARK_LETTERS);
const strangers = computed(() => strangersIn(draft.value, names.value));
const matches = (pattern: string, { value = '' }: { value?: string }): boolean =>
  value.toLowerCase().includes(pattern.toLowerCase());
</script>

<template>
  <section class="card-part" aria-label="Remarks on the sound">
    <form v-if="maySay" @submit.prevent="say">
      <el-mention
        v-model="draft"
        type="textarea"
        :autosize="{ minRows: 2, maxRows: 8 }"
        :options="choices"
        :filter-option="matches"
        placeholder="Say something about this sound. @ and a name has it wait for them."
        aria-label="Remark"
        @keydown.ctrl.enter.prevent="isTooLong || say()"
      />
      <p class="acts">
        <span v-if="isTooLong" class="attention" role="status"
          >▲ {{ draft.trim().length.toLocaleString('en') }} letters; {{ MOST_REMARK_LETTERS.toLocaleString('en') }} fit
          into a remark.</span
        >
        <span v-else-if="strangers.length > 0" class="attention" role="status"
          >▲ Nobody is called {{ strangers.join(', ') }}</span
        >
        <span v-else class="soft"><kbd>Ctrl+Enter</kbd></span>
        <el-button
          native-type="submit"
          size="small"
          type="primary"
          :disabled="draft.trim() === '' || isTooLong"
          :loading="isBusy"
          >Say it</el-button
        >
      </p>
    </form>
    <p v-if="remarks?.length === 0" class="soft">Nobody has said anything about this sound yet.</p>
    <ul v-else-if="remarks">
      <li v-for="remark in remarks" :key="remark.id">
        <div class="line">
          <strong>{{ remark.person }}</strong>
          <span class="soft">{{ formatWhen(remark.at) }}</span>
          <button
            v-if="remark.personId === session.personId && maySay"
            type="button"
            class="in-line-button"
            :aria-label="`Take away the remark of ${formatWhen(remark.at)}`"
            @click="remove(remark.id)"
          >
            Take away
          </button>
        </div>
        <p class="said">
          <component
            :is="piece.isName ? 'strong' : 'span'"
            v-for="(piece, at) in piecesOf(
              remark.text,
              remark.mentioned.map(({ name }) => name),
            )"
            :key="at"
            >{{ piece.text }}</component
          >
        </p>
        <p v-if="remark.mentioned.length > 0" class="for">
          <span v-for="each in remark.mentioned" :key="each.personId" :class="each.isDone ? 'soft' : ''">
            {{ each.isDone ? '✓' : '○' }} {{ each.name }} {{ each.isDone ? 'has settled it' : 'is asked' }}
            <button
              v-if="each.personId === session.personId"
              type="button"
              class="in-line-button"
              @click="settle(remark.id, !each.isDone)"
            >
              {{ each.isDone ? 'Not yet' : 'Settled' }}
            </button>
          </span>
        </p>
      </li>
    </ul>
    <el-button v-if="hasEarlier" size="small" @click="earlier">Earlier remarks</el-button>
  </section>
</template>

<style scoped>
li {
  padding: 8px 0;
  border-bottom: 1px solid var(--hairline);
}

.line {
  display: flex;
  gap: 8px;
  align-items: baseline;
}

.line .in-line-button {
  margin-left: auto;
}

.said {
  margin: 2px 0;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

.for {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  margin: 4px 0 0;
  font-size: 12px;
}

.acts {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  margin: 6px 0 10px;
}

.attention {
  color: var(--ochre-ink);
}
</style>

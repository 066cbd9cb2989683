<script setup lang="ts">
import type { QueryReading, WordRelation } from '@flagstone/contract/reading';
import { RELATION_KINDS, type RelationKind } from '@flagstone/core/words/thesaurus';
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, onBeforeUnmount, ref } from 'vue';
import { call } from '../api/client.ts';
import { useLive } from '../stores/live.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** The thesaurus of searches: what is related to a word and occurs in the collection, what people added to that and took away from it. */
const KINDS: Record<RelationKind, string> = {
  same: 'means about the same',
  broader: 'is broader',
  narrower: 'is narrower',
  heard: 'is what it sounds like',
};

const said = ref<WordRelation[]>();
const word = ref('');
const related = ref('');
const kind = ref<RelationKind>('same');
const reading = ref<QueryReading>();
const known = computed(() => reading.value?.words[0]);

async function load(): Promise<void> {
  await showingErrors(async () => {
    said.value = await call('listRelations');
  });
}
void load();
onBeforeUnmount(useLive().onAnything(() => void load()));

async function look(): Promise<void> {
  // A space behind it: the word is whole.
  const answer = await showingErrors(() => call('readQuery', { query: { q: `${word.value.trim()} ` } }));
  reading.value = answer;
}

async function save(body: { word: string; related: string; kind: RelationKind; hidden: boolean }): Promise<void> {
  await showingErrors(async () => {
    said.value = await call('saveRelation', { body });
    related.value = '';
    await look();
  });
}

async function forget(id: number): Promise<void> {
  await showingErrors(async () => {
    said.value = await call('removeRelation', { params: { id } });
    if (reading.value) await look();
  });
}
</script>

<template>
  <p class="soft">
    A search also offers words that are related to those typed: from a vocabulary of sound effects, from WordNet, and
    from what stands here. Look a word up to see what is offered for it; add to it, or take away what misleads.
  </p>
  <form class="panel line" @submit.prevent="look">
    <el-input v-model="word" placeholder="A word, for instance clank" aria-label="Word" @input="reading = undefined" />
    <el-button native-type="submit" :disabled="word.trim() === ''">Look it up</el-button>
  </form>
  <section v-if="known" class="panel" aria-label="What is offered">
    <p>
      “{{ known.text }}” is in {{ known.sounds.toLocaleString('en') }} sounds.
      <template v-if="known.related.length === 0">No related word occurs in the collection.</template>
    </p>
    <ul class="offered">
      <li v-for="each in known.related" :key="each.word">
        <strong>{{ each.word }}</strong> {{ KINDS[each.kind] }}, in {{ each.sounds.toLocaleString('en') }} sounds
        <button
          type="button"
          class="in-line-button"
          @click="save({ word: known.text, related: each.word, kind: each.kind, hidden: true })"
        >
          Not for this
        </button>
      </li>
    </ul>
    <form class="line" @submit.prevent="save({ word: known.text, related: related.trim(), kind, hidden: false })">
      <el-input v-model="related" placeholder="Another word or phrase" aria-label="Related word" />
      <el-select v-model="kind" :persistent="false" aria-label="How it is related">
        <el-option v-for="each in RELATION_KINDS" :key="each" :value="each" :label="KINDS[each]" />
      </el-select>
      <el-button type="primary" native-type="submit" :disabled="related.trim() === ''">Add</el-button>
    </form>
  </section>
  <p v-if="said?.length === 0" class="soft">Nothing was added or taken away yet.</p>
  <section v-else class="panel">
    <table class="plain">
      <thead>
        <tr>
          <th>Word</th>
          <th>Related</th>
          <th>How</th>
          <th>By</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in said" :key="each.id">
          <td>{{ each.word }}</td>
          <td>{{ each.related }}</td>
          <td>{{ each.hidden ? '✕ is not offered' : KINDS[each.kind] }}</td>
          <td>{{ each.person }}</td>
          <td>
            <el-button size="small" :aria-label="`Forget ${each.word} and ${each.related}`" @click="forget(each.id)"
              >Forget</el-button
            >
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.panel {
  margin: 8px 0;
  padding: 10px 12px;
}

.line {
  display: flex;
  gap: 8px;
  max-width: 640px;
}

.offered {
  margin: 4px 0 12px;
  padding: 0;
  list-style: none;
}

.offered li {
  line-height: 26px;
}
</style>

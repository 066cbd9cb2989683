<script setup lang="ts">
import { ElButton, ElMessageBox } from 'element-plus';
import { ref } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** What suggestions have learned from decisions in a collection, word by word; it can be forgotten. */
const props = defineProps<{ collectionId: number }>();
const total = ref(0);
const entries = ref<{ word: string; catId: string; times: number }[]>([]);
const isOpen = ref(false);

async function load(): Promise<void> {
  await showingErrors(async () => {
    const learned = await call('listLearned', { params: { id: props.collectionId } });
    total.value = learned.total;
    entries.value = learned.entries;
  });
}
void load();

async function forget(word?: string): Promise<void> {
  if (word === undefined) {
    const question = 'Suggestions will follow the vocabulary alone again. No record changes.';
    const options = { confirmButtonText: 'Forget all', cancelButtonText: 'Keep it' };
    if (!(await ElMessageBox.confirm(question, 'Forget what was learned', options).catch(() => undefined))) return;
  }
  await showingErrors(() =>
    call('forgetLearned', { params: { id: props.collectionId }, body: word === undefined ? {} : { word } }),
  );
  await load();
}
</script>

<template>
  <span v-if="total === 0" class="soft">Nothing yet: suggestions learn from the CatIDs that people give.</span>
  <template v-else>
    {{ counted(total, 'word or folder', 'words and folders') }} from decisions
    <el-button link @click="isOpen = !isOpen">{{ isOpen ? 'Hide' : 'Show' }}</el-button>
    <el-button link @click="forget()">Forget all</el-button>
    <div v-if="isOpen" class="plain-scroll words">
      <table class="plain">
        <tbody>
          <tr v-for="each in entries" :key="each.word + each.catId">
            <td>{{ each.word.startsWith('/') ? `folder ${each.word.slice(1)}` : `${each.word}…` }}</td>
            <td class="mono">{{ each.catId }}</td>
            <td class="number">{{ counted(each.times, 'time') }}</td>
            <td><el-button link :aria-label="`Forget ${each.word}`" @click="forget(each.word)">Forget</el-button></td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
</template>

<style scoped>
.words {
  max-width: 560px;
  max-height: 220px;
}
</style>

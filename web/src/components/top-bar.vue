<script setup lang="ts">
import { Moon, Sunny } from '@element-plus/icons-vue';
import { ElButton, ElInput, ElOption, ElSelect, ElTooltip } from 'element-plus';
import { ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import JobsButton from './jobs-button.vue';
import { useKeys } from '../composables/use-keys.ts';
import { useLive } from '../stores/live.ts';
import { useSession } from '../stores/session.ts';

defineEmits<{ undo: []; help: [] }>();

const session = useSession();
const live = useLive();
const route = useRoute();
const router = useRouter();
const field = ref<InstanceType<typeof ElInput>>();
const typed = ref('');

// The address bar holds the words, so that a reload or a link shows the same list.
watch(
  () => route.query['q'],
  (q) => (typed.value = typeof q === 'string' ? q : ''),
  { immediate: true },
);

function search(words: string): void {
  const listPlace = route.path === '/catalogue' || route.path.startsWith('/intake/');
  const { q: _q, ...rest } = listPlace ? route.query : {};
  void router.replace({
    path: listPlace ? route.path : '/catalogue',
    query: words === '' ? rest : { ...rest, q: words },
  });
}

useKeys({ '/': () => field.value?.focus() });
</script>

<template>
  <header class="bar">
    <el-input
      ref="field"
      v-model="typed"
      class="search"
      clearable
      :placeholder="
        route.path.startsWith('/intake/')
          ? 'Search this batch: name, folder, any field'
          : 'Search the catalogue: name, folder, any field'
      "
      aria-label="Search"
      @input="search"
      @keydown.esc="field?.blur()"
      @keydown.down.prevent="field?.blur()"
    >
      <template #suffix><kbd v-if="typed === ''">/</kbd></template>
    </el-input>
    <span v-if="!live.connected" class="offline" role="status">● Not connected</span>
    <span class="spring" />
    <jobs-button />
    <el-button @click="$emit('undo')">Undo <kbd class="key">u</kbd></el-button>
    <el-tooltip content="Keys">
      <el-button aria-label="Show the keys" @click="$emit('help')">?</el-button>
    </el-tooltip>
    <el-tooltip :content="session.night ? 'Daylight' : 'Night'">
      <el-button
        :icon="session.night ? Sunny : Moon"
        :aria-label="session.night ? 'Daylight colours' : 'Night colours'"
        @click="session.night = !session.night"
      />
    </el-tooltip>
    <el-select v-model="session.personId" class="person" aria-label="Who you are">
      <template #prefix
        ><span class="initials">{{ session.person?.initials }}</span></template
      >
      <el-option v-for="person in session.people" :key="person.id" :value="person.id" :label="person.name" />
    </el-select>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
  background: var(--surface);
}

.bar > * + * {
  margin-left: 0;
}

.search {
  width: 440px;
}

.search :deep(.el-input__wrapper) {
  height: 30px;
}

.spring {
  flex: 1;
}

.person {
  width: 150px;
}

.initials {
  color: var(--lichen);
  font-weight: 600;
}

.offline {
  color: var(--iron);
}

.key {
  margin-left: 6px;
}
</style>

<script setup lang="ts">
import { Moon, Sunny } from '@element-plus/icons-vue';
import { ElButton, ElOption, ElSelect, ElTooltip } from 'element-plus';
import JobsButton from '../jobs/jobs-button.vue';
import SearchLine from '../search/search-line.vue';
import { useLive } from '../stores/live.ts';
import { useSession } from '../stores/session.ts';

defineEmits<{ undo: []; help: [] }>();

const session = useSession();
const live = useLive();
</script>

<template>
  <header class="bar">
    <search-line />
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
    <el-select v-model="session.personId" :persistent="false" class="person" aria-label="Who you are">
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

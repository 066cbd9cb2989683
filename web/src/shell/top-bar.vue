<script setup lang="ts">
import { Moon, Sunny } from '@element-plus/icons-vue';
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElTooltip } from 'element-plus';
import { useRouter } from 'vue-router';
import JobsButton from '../jobs/jobs-button.vue';
import SearchLine from '../search/search-line.vue';
import { useLive } from '../stores/live.ts';
import { useRights } from '../stores/rights.ts';
import { usePresence } from '../stores/presence.ts';
import { useSession } from '../stores/session.ts';
import { showingErrors } from '../ui/use-errors.ts';

defineEmits<{ undo: []; help: [] }>();

const session = useSession();
const live = useLive();
const rights = useRights();
const presence = usePresence();
/** More initials than this are a number. */
const MOST = 6;
const router = useRouter();

function choose(command: 'account' | 'signOut'): void {
  if (command === 'account') void router.push('/account');
  else void showingErrors(session.signOut);
}
</script>

<template>
  <header class="bar">
    <search-line />
    <span v-if="!live.connected" class="offline" role="status">● Not connected</span>
    <span class="spring" />
    <ul v-if="presence.everybody.length > 0" class="here" aria-label="Also here">
      <li v-for="person in presence.everybody.slice(0, MOST)" :key="person.id" :title="`${person.name} is here`">
        {{ person.initials }}<span class="visually-hidden"> {{ person.name }}</span>
      </li>
      <li v-if="presence.everybody.length > MOST" :title="presence.everybody.map(({ name }) => name).join(', ')">
        +{{ presence.everybody.length - MOST }}
      </li>
    </ul>
    <router-link
      v-if="rights.may('listener')"
      class="newest"
      :to="{ path: '/catalogue', query: { sort: 'added', direction: 'desc' } }"
      title="The catalogue, newest arrivals first"
      >Newest</router-link
    >
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
    <el-dropdown v-if="session.person" trigger="click" :trigger-keys="['Enter', 'ArrowDown']" @command="choose">
      <el-button class="person" :aria-label="`${session.person.name}: account, sign out`"
        ><span class="initials">{{ session.person.initials }}</span> {{ session.person.name }} ▾</el-button
      >
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item command="account">Sessions and tokens…</el-dropdown-item>
          <el-dropdown-item command="signOut" divided>Sign out</el-dropdown-item>
        </el-dropdown-menu>
      </template>
    </el-dropdown>
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

.newest {
  color: var(--ink);
}

.here {
  display: flex;
  gap: 4px;
  margin: 0;
  padding: 0;
  list-style: none;
}

.here li {
  padding: 1px 6px;
  border: 1px solid var(--lichen);
  color: var(--lichen);
  font-size: 12px;
}

.spring {
  flex: 1;
}

.initials {
  margin-right: 6px;
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

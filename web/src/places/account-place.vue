<script setup lang="ts">
import { ElButton } from 'element-plus';
import { ref } from 'vue';
import OwnPasskeys from '../people/own-passkeys.vue';
import OwnPassword from '../people/own-password.vue';
import OwnSessions from '../people/own-sessions.vue';
import OwnTokens from '../people/own-tokens.vue';
import { useSession } from '../stores/session.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** Where somebody sees and ends by what they are let in. */
const session = useSession();
const sessions = ref<InstanceType<typeof OwnSessions>>();
</script>

<template>
  <div class="account">
    <header class="head">
      <h1>{{ session.person?.name }}</h1>
      <span class="soft">{{ session.person?.isAdministrator ? 'Administrator of this house' : '' }}</span>
      <span class="spring" />
      <el-button @click="showingErrors(session.signOut)">Sign out</el-button>
    </header>
    <own-sessions ref="sessions" />
    <own-password @changed="(now) => sessions?.show(now)" />
    <own-passkeys />
    <own-tokens />
  </div>
</template>

<style scoped>
.account {
  display: flex;
  flex-direction: column;
  gap: 20px;
  height: 100%;
  padding: 12px 16px;
  overflow: auto;
}

.head {
  display: flex;
  gap: 12px;
  align-items: baseline;
}

.spring {
  flex: 1;
}
</style>

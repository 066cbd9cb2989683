<script setup lang="ts">
import type { SessionSeen } from '@flagstone/contract/people';
import { ElButton, ElInput } from 'element-plus';
import { ref } from 'vue';
import { ApiError, call } from '../api/client.ts';
import { useSession } from '../stores/session.ts';
import { tell } from '../ui/use-errors.ts';

const emit = defineEmits<{ changed: [sessions: SessionSeen[]] }>();
const session = useSession();
const current = ref('');
const password = ref('');
const fault = ref('');
const SHORTEST = 12;

async function change(): Promise<void> {
  fault.value = '';
  try {
    emit('changed', await call('changePassword', { body: { current: current.value, password: password.value } }));
    [current.value, password.value] = ['', ''];
    tell('The password is another one now', 'You are signed in here alone.');
  } catch (error) {
    fault.value = error instanceof ApiError ? `${error.body.message} ${error.body.remedy}` : String(error);
  }
}
</script>

<template>
  <section aria-label="Password">
    <h2>Another password</h2>
    <p class="soft">{{ SHORTEST }} characters at least; a few words are good. It signs you out everywhere else.</p>
    <form class="fields" @submit.prevent="change">
      <input class="gone" type="text" name="username" autocomplete="username" :value="session.person?.name" readonly />
      <el-input
        v-model="current"
        type="password"
        name="current"
        autocomplete="current-password"
        aria-label="Password of now"
        placeholder="Password of now"
        show-password
      />
      <el-input
        v-model="password"
        type="password"
        name="password"
        autocomplete="new-password"
        aria-label="Another password"
        placeholder="Another password"
        show-password
      />
      <el-button native-type="submit" :disabled="current === '' || [...password].length < SHORTEST"
        >Change it</el-button
      >
    </form>
    <p v-if="fault" class="fault" role="alert">✕ {{ fault }}</p>
  </section>
</template>

<style scoped>
.fields {
  display: flex;
  gap: 8px;
  max-width: 620px;
  margin: 8px 0;
}

.gone {
  display: none;
}

.fault {
  color: var(--iron);
}
</style>

<script setup lang="ts">
import type { LinkFacts } from '@flagstone/contract/people';
import { ElButton, ElInput } from 'element-plus';
import { computed, onMounted, ref } from 'vue';
import { useRouter } from 'vue-router';
import { ApiError, call } from '../api/client.ts';
import PaperSheet from '../people/paper-sheet.vue';
import { useSession } from '../stores/session.ts';

/** Where a link leads by which somebody chooses a password. Its secret stands behind the # and is sent nowhere but to be redeemed. */
const router = useRouter();
const session = useSession();
const secret = location.hash.slice(1);
const facts = ref<LinkFacts>();
const name = ref('');
const account = ref('');
const password = ref('');
const fault = ref('');
const isOver = ref(secret === '');
const SHORTEST = 12;
const length = computed(() => [...password.value].length);
const canTake = computed(
  () => length.value >= SHORTEST && (facts.value?.isFirst !== true || (name.value !== '' && account.value !== '')),
);

async function attempt(work: () => Promise<void>): Promise<void> {
  fault.value = '';
  try {
    await work();
  } catch (error) {
    isOver.value = error instanceof ApiError && error.body.code === 'LINK_OVER';
    fault.value = error instanceof ApiError ? `${error.body.message} ${error.body.remedy}` : String(error);
  }
}

onMounted(() => {
  // Not kept in the history of the browser.
  history.replaceState(history.state, '', location.pathname);
  if (secret === '') return;
  return attempt(async () => {
    facts.value = await call('getLink', { body: { secret } });
  });
});

const take = (): Promise<void> =>
  attempt(async () => {
    const given = { secret, password: password.value, name: name.value.trim(), account: account.value.trim() };
    await session.begin(await call('takeLink', { body: given }));
    await router.replace('/today');
  });
</script>

<template>
  <paper-sheet label="Choose a password">
    <template v-if="isOver">
      <h1>This link is over</h1>
      <p>{{ fault || 'A link to sign in holds once. Ask an administrator for a new one.' }}</p>
      <router-link to="/today">Sign in with an account</router-link>
    </template>
    <form v-else-if="facts" class="fields" @submit.prevent="take">
      <h1>{{ facts.isFirst ? 'The first administrator' : `Welcome, ${facts.name}` }}</h1>
      <template v-if="facts.isFirst">
        <p class="soft">Nobody can sign in yet. Whoever is entered here may do everything, and lets the others in.</p>
        <label>Your name <el-input v-model="name" size="default" name="name" autocomplete="name" required /></label>
        <label>
          Account to sign in with
          <el-input v-model="account" size="default" name="username" autocomplete="username" required />
        </label>
      </template>
      <template v-else>
        <p class="soft">You sign in as “{{ facts.account }}”.</p>
        <input class="gone" type="text" name="username" autocomplete="username" :value="facts.account" readonly />
      </template>
      <label>
        Password
        <el-input
          v-model="password"
          size="default"
          type="password"
          name="password"
          autocomplete="new-password"
          show-password
          required
        />
      </label>
      <p class="soft">
        {{ length === 0 ? `${SHORTEST} characters at least; a few words are good.` : '' }}
        {{ length > 0 && length < SHORTEST ? `○ ${SHORTEST - length} more` : '' }}
        {{ length >= SHORTEST ? '● Long enough' : '' }}
      </p>
      <p v-if="fault" class="fault" role="alert">✕ {{ fault }}</p>
      <el-button native-type="submit" size="default" type="primary" :disabled="!canTake">Sign in</el-button>
    </form>
    <p v-else-if="fault" class="fault" role="alert">✕ {{ fault }}</p>
    <p v-else>Reading the link…</p>
  </paper-sheet>
</template>

<style scoped>
.fields {
  display: flex;
  flex-direction: column;
  gap: 10px;
}

.gone {
  display: none;
}

.fault {
  color: var(--iron);
}
</style>

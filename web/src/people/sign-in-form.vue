<script setup lang="ts">
import type { DemoPerson, SignedIn } from '@flagstone/contract/people';
import {
  browserSupportsWebAuthn,
  startAuthentication,
  type PublicKeyCredentialRequestOptionsJSON,
} from '@simplewebauthn/browser';
import { ElButton, ElInput } from 'element-plus';
import { onMounted, ref } from 'vue';
import { ApiError, call } from '../api/client.ts';
import { useSession } from '../stores/session.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { passkeyAnswer } from './passkey-answer.ts';
import { passkeyFault } from './passkey-fault.ts';
import PaperSheet from './paper-sheet.vue';

/** Stands before everything while nobody is signed in; a page behind it stays as it is, with what was typed. */
const session = useSession();
const account = ref('');
const password = ref('');
const fault = ref('');
const isAsking = ref(false);
const demoPeople = ref<DemoPerson[]>([]);
const first = ref<InstanceType<typeof ElInput>>();

onMounted(async () => {
  first.value?.focus();
  demoPeople.value = (await showingErrors(() => call('listDemoPeople'))) ?? [];
});

async function begin(ask: () => Promise<SignedIn>): Promise<void> {
  fault.value = '';
  isAsking.value = true;
  try {
    await session.begin(await ask());
  } catch (error) {
    fault.value = error instanceof ApiError ? `${error.body.message} ${error.body.remedy}` : passkeyFault(error);
  } finally {
    isAsking.value = false;
  }
}

/** Passkeys hold for a name, and only where the browser has them. */
const canUsePasskey = browserSupportsWebAuthn() && !/^[\d.]+$|^\[/.test(location.hostname);

const signInByPasskey = (): Promise<void> =>
  begin(async () => {
    const options = await call('beginPasskeySignIn', { body: {} });
    const response = await startAuthentication({
      optionsJSON: options as unknown as PublicKeyCredentialRequestOptionsJSON,
    });
    return call('signInByPasskey', { body: { response: passkeyAnswer(response) } });
  });

const signIn = (): Promise<void> =>
  begin(() => call('signIn', { body: { account: account.value, password: password.value } }));
</script>

<template>
  <paper-sheet label="Sign in">
    <h1>{{ session.person ? 'Sign in again' : 'Flagstone' }}</h1>
    <p v-if="session.person">
      The session of {{ session.person.name }} is over. The page behind this stays as it is, with what was typed.
    </p>
    <p v-else class="soft">The effects collection of this house</p>
    <section v-if="demoPeople.length > 0" class="demo" aria-label="People of the demo">
      <h2>In this demo, come in as</h2>
      <button
        v-for="each in demoPeople"
        :key="each.id"
        type="button"
        class="person"
        :disabled="isAsking"
        @click="begin(() => call('signInDemo', { params: { id: each.id }, body: {} }))"
      >
        <strong>{{ each.name }}</strong>
        <span class="soft">{{ each.does }}</span>
      </button>
      <h2>or with an account</h2>
    </section>
    <form class="fields" @submit.prevent="signIn">
      <label>
        Account
        <el-input ref="first" v-model="account" size="default" name="username" autocomplete="username" required />
      </label>
      <label>
        Password
        <el-input
          v-model="password"
          size="default"
          type="password"
          name="password"
          autocomplete="current-password"
          show-password
          required
        />
      </label>
      <p v-if="fault" class="fault" role="alert">✕ {{ fault }}</p>
      <el-button
        native-type="submit"
        size="default"
        type="primary"
        :disabled="account === '' || password === '' || isAsking"
        >{{ isAsking ? 'Signing in…' : 'Sign in' }}</el-button
      >
      <el-button v-if="canUsePasskey" size="default" :disabled="isAsking" @click="signInByPasskey"
        >With a passkey</el-button
      >
    </form>
  </paper-sheet>
</template>

<style scoped>
.demo,
.fields {
  display: flex;
  flex-direction: column;
  gap: 8px;
}

.demo h2 {
  margin-top: 6px;
}

.person {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 8px 12px;
  border: 1px solid var(--hairline);
  border-radius: 4px;
  background: var(--ground);
  color: var(--ink);
  font-size: 13px;
  text-align: left;
  cursor: pointer;
}

.person:hover:enabled {
  border-color: var(--lichen);
}

.fields .el-button + .el-button {
  margin-left: 0;
}

.fault {
  color: var(--iron);
}
</style>

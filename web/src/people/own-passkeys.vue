<script setup lang="ts">
import type { Passkey } from '@flagstone/contract/people';
import {
  browserSupportsWebAuthn,
  startRegistration,
  type PublicKeyCredentialCreationOptionsJSON,
} from '@simplewebauthn/browser';
import { ElButton, ElInput, ElPopconfirm } from 'element-plus';
import { ref } from 'vue';
import { ApiError, call } from '../api/client.ts';
import { formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { passkeyAnswer } from './passkey-answer.ts';
import { passkeyFault } from './passkey-fault.ts';

const passkeys = ref<Passkey[]>([]);
const name = ref('');
const fault = ref('');
const canAdd = browserSupportsWebAuthn();
const isNumber = /^[\d.]+$|^\[/.test(location.hostname);
void showingErrors(async () => {
  passkeys.value = await call('listPasskeys');
});

async function add(): Promise<void> {
  fault.value = '';
  try {
    const options = await call('beginPasskey', { body: {} });
    const response = await startRegistration({
      optionsJSON: options as unknown as PublicKeyCredentialCreationOptionsJSON,
    });
    const body = { name: name.value.trim(), response: passkeyAnswer(response) };
    passkeys.value = await call('addPasskey', { body });
    name.value = '';
  } catch (error) {
    fault.value = error instanceof ApiError ? `${error.body.message} ${error.body.remedy}` : passkeyFault(error);
  }
}

async function end(id: number): Promise<void> {
  await showingErrors(async () => {
    passkeys.value = await call('endPasskey', { params: { id } });
  });
}
</script>

<template>
  <section aria-label="Passkeys">
    <h2>Passkeys</h2>
    <p class="soft">A finger, a face or the number of your device instead of the password.</p>
    <p v-if="!canAdd" class="soft">This browser has none.</p>
    <p v-else-if="isNumber" class="soft">They hold for a name: open Flagstone by its name, or as localhost.</p>
    <form v-else class="add" @submit.prevent="add">
      <el-input v-model="name" aria-label="What the passkey is called" placeholder="This laptop" maxlength="80" />
      <el-button native-type="submit" :disabled="name.trim() === ''">Add a passkey</el-button>
    </form>
    <p v-if="fault" class="fault" role="alert">✕ {{ fault }}</p>
    <div v-if="passkeys.length > 0" class="panel list">
      <table class="plain">
        <thead>
          <tr>
            <th>Passkey</th>
            <th>Added</th>
            <th>Last used</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in passkeys" :key="each.id">
            <td>{{ each.name }}</td>
            <td>{{ formatWhen(each.madeAt) }}</td>
            <td>{{ each.usedAt === null ? 'never' : formatWhen(each.usedAt) }}</td>
            <td class="acts">
              <el-popconfirm
                title="It signs you in no more. Take it off the device too."
                confirm-button-text="End it"
                width="240"
                @confirm="end(each.id)"
              >
                <template #reference><el-button :aria-label="`End the passkey ${each.name}`">End…</el-button></template>
              </el-popconfirm>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.add {
  display: flex;
  gap: 8px;
  max-width: 480px;
  margin: 8px 0;
}

.list {
  max-width: 900px;
  padding: 4px 14px;
}

.list td {
  vertical-align: middle;
}

.acts {
  text-align: right;
}

.fault {
  color: var(--iron);
}
</style>

<script setup lang="ts">
import { tokenRoleSchema, type ApiToken, type TokenRole } from '@flagstone/contract/people';
import { ElButton, ElInput, ElInputNumber, ElPopconfirm } from 'element-plus';
import { ref } from 'vue';
import { call } from '../api/client.ts';
import { formatDay, formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import PickOne from '../ui/pick-one.vue';
import ShownOnce from './shown-once.vue';

const tokens = ref<ApiToken[]>([]);
const name = ref('');
const days = ref(90);
/** The least that most scripts need. */
const role = ref<TokenRole>('listener');
const CHOICES = tokenRoleSchema.options.map((value) => ({ value, label: `${value} at most` }));
const made = ref('');
void showingErrors(async () => {
  tokens.value = await call('listTokens');
});

async function make(): Promise<void> {
  await showingErrors(async () => {
    const answer = await call('makeToken', { body: { name: name.value.trim(), role: role.value, days: days.value } });
    tokens.value = answer.tokens;
    made.value = answer.token;
    name.value = '';
  });
}

async function end(id: number): Promise<void> {
  await showingErrors(async () => {
    tokens.value = await call('endToken', { params: { id } });
    made.value = '';
  });
}

const isOver = ({ endsAt }: ApiToken): boolean => new Date(endsAt) < new Date();
</script>

<template>
  <section aria-label="Tokens">
    <h2>Tokens for scripts</h2>
    <p class="soft">
      A script that sends <code>Authorization: Bearer …</code> acts as you, with no more than the role that you give it,
      until the token is over or ended here.
    </p>
    <shown-once v-if="made" label="The new token" :text="made" />
    <form class="add" @submit.prevent="make">
      <el-input v-model="name" aria-label="What the token is for" placeholder="What it is for" maxlength="80" />
      <pick-one
        class="role"
        :value="role"
        :choices="CHOICES"
        label="What it may do"
        @pick="(value) => (role = value)"
      />
      <label class="days">for <el-input-number v-model="days" :min="1" :max="365" aria-label="Days" /> days</label>
      <el-button native-type="submit" :disabled="name.trim() === ''">Make a token</el-button>
    </form>
    <div v-if="tokens.length > 0" class="panel list">
      <table class="plain">
        <thead>
          <tr>
            <th>Token</th>
            <th>May do</th>
            <th>Made</th>
            <th>Last used</th>
            <th>Holds until</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in tokens" :key="each.id">
            <td>{{ each.name }}</td>
            <td>{{ each.role === null ? 'all that you may' : `${each.role} at most` }}</td>
            <td>{{ formatWhen(each.madeAt) }}</td>
            <td>{{ each.usedAt === null ? 'never' : formatWhen(each.usedAt) }}</td>
            <td>{{ isOver(each) ? '✕ over since ' : '' }}{{ formatDay(each.endsAt) }}</td>
            <td class="acts">
              <el-popconfirm
                title="Scripts that send it are refused at once."
                confirm-button-text="End it"
                width="240"
                @confirm="end(each.id)"
              >
                <template #reference><el-button :aria-label="`End the token ${each.name}`">End…</el-button></template>
              </el-popconfirm>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
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

.add {
  display: flex;
  gap: 8px;
  align-items: center;
  max-width: 760px;
  margin: 8px 0;
}

.role {
  flex: none;
  width: 190px;
}

.days {
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
</style>

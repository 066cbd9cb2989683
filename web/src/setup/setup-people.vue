<script setup lang="ts">
import { ROLES, type CollectionRole, type RoleChange } from '@flagstone/contract/roles';
import type { Account, AccountChange } from '@flagstone/contract/people';
import { ElButton, ElCheckbox, ElInput, ElPopconfirm, ElSwitch } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import ShownOnce from '../people/shown-once.vue';
import { useSession } from '../stores/session.ts';
import { useCollections } from '../stores/collections.ts';
import RoleChoices from './role-choices.vue';
import { formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** Who may sign in. Nobody is removed: what somebody did keeps their name. */
const session = useSession();
const collections = useCollections();
void collections.load();
const accounts = ref<Account[]>([]);
const name = ref('');
const account = ref('');
const isAdministrator = ref(false);
const roles = ref<CollectionRole[]>([]);
/** Whose roles are being chosen. */
const choosing = ref<number>();
const link = ref<{ name: string; address: string }>();
const canAdd = computed(() => name.value.trim() !== '' && account.value.trim().length >= 2);
const demoIds = ref<ReadonlySet<number>>(new Set());
async function load(): Promise<void> {
  await showingErrors(async () => {
    accounts.value = await call('listAccounts');
  });
}
void load();
void showingErrors(async () => {
  demoIds.value = new Set((await call('listDemoPeople')).map(({ id }) => id));
});
// Another administrator changed something: the session hears of it.
watch(() => session.people, load);

function showLink(whose: string, secret: string): void {
  link.value = { name: whose, address: new URL(`/join#${secret}`, location.href).href };
}

async function add(): Promise<void> {
  await showingErrors(async () => {
    const body = {
      name: name.value.trim(),
      account: account.value.trim(),
      isAdministrator: isAdministrator.value,
      roles: roles.value,
    };
    const answer = await call('addAccount', { body });
    accounts.value = answer.accounts;
    showLink(body.name, answer.secret);
    [name.value, account.value, isAdministrator.value, roles.value] = ['', '', false, []];
  });
}

async function change({ id }: Account, body: AccountChange): Promise<void> {
  await showingErrors(async () => {
    accounts.value = await call('changeAccount', { params: { id }, body });
  });
}

async function newLink({ id, name: whose }: Account): Promise<void> {
  await showingErrors(async () => {
    const answer = await call('makeAccountLink', { params: { id }, body: {} });
    accounts.value = answer.accounts;
    showLink(whose, answer.secret);
  });
}

/** Roles of somebody who is not added yet. */
function choose(changes: RoleChange[]): void {
  const others = roles.value.filter((each) => !changes.some(({ collectionId }) => collectionId === each.collectionId));
  roles.value = [
    ...others,
    ...changes.flatMap(({ collectionId, role }) => (role === null ? [] : [{ collectionId, role }])),
  ];
}

/** What somebody is in which collections, the most first. */
function rolesOf({ isAdministrator: isOne, roles: own }: Account): string {
  if (isOne) return 'everything, as administrator';
  const words = [...ROLES].reverse().flatMap((role) => {
    const names = own.filter((each) => each.role === role).map(({ collectionId }) => collections.nameOf(collectionId));
    return names.length > 0 ? [`${role} in ${names.join(', ')}`] : [];
  });
  return words.join('; ') || '○ no role: sees nothing';
}

function stateOf({ id, hasLeft, account: signsInAs, hasPassword }: Account): string {
  if (hasLeft) return '✕ has left';
  if (demoIds.value.has(id)) return '● by a click, in this demo';
  if (signsInAs === null) return '○ cannot sign in';
  return hasPassword ? '● signs in' : '◇ was sent a link';
}
</script>

<template>
  <p class="soft">
    Everybody who signs in, and whoever did something here before. A link lets a person choose a password; it holds once
    and for three days.
  </p>
  <form class="add" @submit.prevent="add">
    <el-input v-model="name" aria-label="Name" placeholder="Name" maxlength="80" />
    <el-input v-model="account" aria-label="Account to sign in with" placeholder="Account to sign in with" />
    <el-checkbox v-model="isAdministrator" label="Administrator" />
    <el-button native-type="submit" :disabled="!canAdd">Add, and make a link</el-button>
    <role-choices v-if="canAdd && !isAdministrator" class="roles" :roles="roles" :whose="name" @change="choose" />
  </form>
  <shown-once v-if="link" :label="`The link for ${link.name}`" :text="link.address" />
  <section class="panel list">
    <table class="plain">
      <thead>
        <tr>
          <th>Name</th>
          <th>Account</th>
          <th>State</th>
          <th>Roles</th>
          <th>Last seen</th>
          <th>Administrator</th>
          <th></th>
        </tr>
      </thead>
      <tbody v-for="each in accounts" :key="each.id">
        <tr>
          <td>{{ each.name }}</td>
          <td>{{ each.account }}</td>
          <td>{{ stateOf(each) }}</td>
          <td>
            <template v-if="!each.hasLeft">{{ rolesOf(each) }}</template>
            <el-button
              v-if="!each.hasLeft && !each.isAdministrator"
              link
              :aria-expanded="choosing === each.id"
              :aria-label="`Roles of ${each.name}`"
              @click="choosing = choosing === each.id ? undefined : each.id"
              >{{ choosing === each.id ? 'Close' : 'Change' }}</el-button
            >
          </td>
          <td>{{ each.seenAt === null ? '' : formatWhen(each.seenAt) }}</td>
          <td>
            <el-switch
              v-if="!each.hasLeft"
              :model-value="each.isAdministrator"
              :aria-label="`${each.name} is an administrator`"
              @update:model-value="(on) => change(each, { isAdministrator: on === true })"
            />
          </td>
          <td class="acts">
            <el-button v-if="each.hasLeft" @click="change(each, { hasLeft: false })">Is back</el-button>
            <template v-else>
              <el-popconfirm
                v-if="each.account !== null && each.id !== session.personId"
                :title="`${each.name} is signed out everywhere, and the password of before holds no more.`"
                confirm-button-text="Make a link"
                width="260"
                @confirm="newLink(each)"
              >
                <template #reference
                  ><el-button :aria-label="`A new link for ${each.name}`">New link…</el-button></template
                >
              </el-popconfirm>
              <el-popconfirm
                v-if="each.id !== session.personId"
                :title="`${each.name} signs in no more; sessions and tokens end at once. What ${each.name} did stays.`"
                confirm-button-text="Has left"
                width="260"
                @confirm="change(each, { hasLeft: true })"
              >
                <template #reference><el-button :aria-label="`${each.name} has left`">Has left…</el-button></template>
              </el-popconfirm>
            </template>
          </td>
        </tr>
        <tr v-if="choosing === each.id && !each.isAdministrator">
          <td></td>
          <td colspan="6">
            <role-choices
              :roles="each.roles"
              :whose="each.name"
              @change="(changes) => change(each, { roles: changes })"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.list {
  max-width: 1180px;
  padding: 4px 14px;
}

.list td {
  vertical-align: middle;
}

.acts {
  text-align: right;
}

.add .roles {
  width: 100%;
}

.add > .el-input {
  width: 220px;
}

.add {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  max-width: 760px;
  margin: 8px 0;
}
</style>

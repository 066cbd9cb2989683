<script setup lang="ts">
import { AUTHORITY_FIELDS, AUTHORITY_KINDS, type Authority, type AuthorityKind } from '@flagstone/contract/authorities';
import { fieldLabel } from '@flagstone/core/record/fields';
import { ElButton, ElInput, ElMessageBox, ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed, ref } from 'vue';
import LicenceTerms from './licence-terms.vue';
import PickOne from '../ui/pick-one.vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useAuthorities } from '../stores/authorities.ts';

/** The lists of names that records should agree on: creators, libraries, publishers, licences, microphones. */
const authorities = useAuthorities();
void authorities.load();
const kind = ref<AuthorityKind>('creator');
const name = ref('');
const code = ref('');
const LABELS: Record<AuthorityKind, string> = {
  creator: 'Creators',
  library: 'Libraries',
  publisher: 'Publishers',
  licence: 'Licences',
  microphone: 'Microphones',
};
/** What the code of a list is called; empty for lists without one. */
const codeLabel = computed(() => {
  const { code: field } = AUTHORITY_FIELDS[kind.value];
  return field === undefined ? '' : fieldLabel(field);
});
/** The licence whose terms are said. */
const read = ref<Authority>();
const reading = ref(false);
function openTerms(licence: Authority): void {
  read.value = licence;
  reading.value = true;
}
const shown = computed(() => authorities.list.filter((each) => each.kind === kind.value));

async function save(entry: { name: string; code: string }): Promise<void> {
  await showingErrors(async () => {
    authorities.set(await call('saveAuthority', { body: { kind: kind.value, ...entry } }));
    name.value = '';
    code.value = '';
  });
}

async function gather(): Promise<void> {
  const before = authorities.list.length;
  await showingErrors(async () => {
    authorities.set(await call('gatherAuthorities', { body: {} }));
    tell(`${counted(authorities.list.length - before, 'name')} taken over`, 'Each with its most frequent code.');
  });
}

async function remove({ id }: Authority): Promise<void> {
  await showingErrors(async () => authorities.set(await call('removeAuthority', { params: { id } })));
}

/** What another one can be merged into. */
function othersThan(id: number): { value: number; label: string }[] {
  return shown.value.filter((each) => each.id !== id).map(({ id: value, name: label }) => ({ value, label }));
}

async function merge(entry: Authority, intoId: number): Promise<void> {
  const target = authorities.list.find((each) => each.id === intoId);
  if (!target) return;
  const question = `${counted(entry.uses, 'record')} that ${entry.uses === 1 ? 'says' : 'say'} “${entry.name}” will say “${target.name}”${target.code ? ` with ${target.code}` : ''}. The files follow when they are written. It can be undone.`;
  const options = { confirmButtonText: `Change ${counted(entry.uses, 'record')}`, cancelButtonText: 'Keep both' };
  if (!(await ElMessageBox.confirm(question, 'Merge two names', options).catch(() => undefined))) return;
  await showingErrors(async () => {
    const result = await call('mergeAuthority', { params: { id: entry.id }, body: { intoId } });
    authorities.set(result.authorities);
    tell(`${counted(result.changed, 'record')} changed`, 'u takes it back.');
  });
}
</script>

<template>
  <p class="soft">
    Names that records should agree on. The card completes them, and brings the code along: with a creator the
    CreatorID, with a library the SourceID. What a licence allows is held against what a delivery is for.
    <el-button size="small" @click="gather">Take over what the records say</el-button>
  </p>
  <el-radio-group v-model="kind" aria-label="Which list">
    <el-radio-button v-for="each in AUTHORITY_KINDS" :key="each" :value="each">{{ LABELS[each] }}</el-radio-button>
  </el-radio-group>
  <form class="add" @submit.prevent="save({ name, code })">
    <el-input v-model="name" placeholder="Name" aria-label="Name" />
    <el-input v-if="codeLabel" v-model="code" class="mono" :placeholder="codeLabel" :aria-label="codeLabel" />
    <el-button type="primary" native-type="submit" :disabled="name.trim() === ''">Add to the list</el-button>
  </form>
  <p v-if="authorities.isLoaded && shown.length === 0" class="soft">This list is empty yet.</p>
  <section v-else class="panel lists">
    <table class="plain">
      <thead>
        <tr>
          <th>Name</th>
          <th>{{ codeLabel }}</th>
          <th class="number">Records</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in shown" :key="each.id">
          <td>{{ each.name }}</td>
          <td class="mono">{{ each.code }}</td>
          <td class="number">{{ each.uses.toLocaleString('en') }}</td>
          <td class="acts">
            <el-button
              v-if="kind === 'licence'"
              size="small"
              :aria-label="`What ${each.name} allows`"
              @click="openTerms(each)"
              >{{ each.hasTerms ? '■ Terms…' : '□ Terms…' }}</el-button
            >
            <pick-one
              v-if="shown.length > 1"
              class="into"
              :choices="othersThan(each.id)"
              placeholder="Merge into…"
              :label="`Merge ${each.name} into another name`"
              @pick="(id) => merge(each, id)"
            />
            <el-button size="small" :aria-label="`Take ${each.name} off the list`" @click="remove(each)"
              >Take off</el-button
            >
          </td>
        </tr>
      </tbody>
    </table>
  </section>
  <licence-terms v-model="reading" :licence="read" @saved="authorities.set" />
</template>

<style scoped>
.add {
  display: flex;
  gap: 8px;
  max-width: 640px;
  margin: 8px 0;
}

.lists {
  max-width: 900px;
  padding: 4px 14px;
}

.acts {
  display: flex;
  gap: 8px;
  justify-content: flex-end;
}

.into {
  width: 150px;
}
</style>

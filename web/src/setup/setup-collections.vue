<script setup lang="ts">
import { ROLES } from '@flagstone/contract/roles';
import type { Collection, CollectionChange } from '@flagstone/contract/collections';
import { ElButton, ElCheckbox, ElInput, ElMessageBox } from 'element-plus';
import { ref } from 'vue';
import { call } from '../api/client.ts';
import PickOne from '../ui/pick-one.vue';
import { asked } from '../ui/asked.ts';
import { counted } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useCollections } from '../stores/collections.ts';
import { useRights } from '../stores/rights.ts';
import { useSession } from '../stores/session.ts';
import CollectionPlaces from './collection-places.vue';
import LearnedWords from './learned-words.vue';
import NamingPatternForm from './naming-pattern-form.vue';

/** The collections: made, named, merged and retired, with their people and how their sounds are named. */
const collections = useCollections();
const session = useSession();
const rights = useRights();
void collections.load();
const newName = ref('');
const naming = ref<number>();

async function make(): Promise<void> {
  await showingErrors(async () => {
    collections.set(await call('makeCollection', { body: { name: newName.value } }));
    newName.value = '';
  });
}

async function update({ id }: Collection, body: CollectionChange): Promise<void> {
  await showingErrors(async () => collections.set(await call('updateCollection', { params: { id }, body })));
}

async function rename(collection: Collection): Promise<void> {
  const question = 'What the collection is called; no sound and no file changes.';
  const name = await asked(question, 'Rename the collection', collection.name, 'Rename');
  if (name !== undefined) await update(collection, { name });
}

async function saveNaming(collection: Collection, pattern: Collection['pattern']): Promise<void> {
  await update(collection, { pattern });
  naming.value = undefined;
}

/** What another one can be merged into. */
function othersThan(id: number): { value: number; label: string }[] {
  return collections.list.filter((each) => each.id !== id).map(({ id: value, name: label }) => ({ value, label }));
}

async function merge(collection: Collection, intoId: number): Promise<void> {
  const target = collections.nameOf(intoId);
  const question = `${counted(collection.folders, 'folder')} with ${counted(collection.files, 'file')} of “${collection.name}” go to “${target}”, which keeps its naming pattern. “${collection.name}” ends. No record and no file changes.`;
  const options = { confirmButtonText: `Merge into ${target}`, cancelButtonText: 'Keep both' };
  const isSure = await ElMessageBox.confirm(question, 'Merge two collections', options).catch(() => undefined);
  if (!isSure) return;
  await showingErrors(async () =>
    collections.set(await call('mergeCollection', { params: { id: collection.id }, body: { intoId } })),
  );
}

/** Who works on a collection, by what they are in it. */
function peopleOf({ people }: Collection): string {
  return [...ROLES]
    .reverse()
    .flatMap((role) => {
      const names = people.filter((each) => each.role === role).map(({ personId }) => nameOf(personId));
      return names.length > 0 ? [`${role}: ${names.join(', ')}`] : [];
    })
    .join(' · ');
}

const nameOf = (id: number): string => session.people.find((person) => person.id === id)?.name ?? `no. ${id}`;

function patternWords({ pattern }: Collection): string {
  const { channel = false, mono = '' } = pattern?.ending ?? {};
  const ends = `${channel ? '; split channels keep their mark' : ''}${mono === '' ? '' : `; mono files end in “${mono}”`}`;
  return blockWords(pattern) + ends;
}

function blockWords(pattern: Collection['pattern']): string {
  if (pattern === null) return 'UCS, as the standard has it';
  if (pattern.kind === 'free') return pattern.template;
  const changed = Object.keys(pattern.blocks).length;
  return changed === 0 ? 'UCS, as the standard has it' : `UCS, with rules for ${counted(changed, 'block')}`;
}
</script>

<template>
  <p class="soft">
    A collection is a part of the catalogue with folders, people and a naming pattern of its own: effects, music, one
    client’s sounds. Folders are put into one under Drives; search shows one, several or all.
  </p>
  <form v-if="rights.isAdministrator" class="make" @submit.prevent="make">
    <el-input v-model="newName" placeholder="Name of a new collection" aria-label="Name of a new collection" />
    <el-button type="primary" native-type="submit" :disabled="newName.trim() === ''">Make the collection</el-button>
  </form>
  <section v-for="each in collections.list" :key="each.id" class="panel collection">
    <header>
      <h2>{{ each.name }}</h2>
      <span>{{ each.retired ? '– Retired' : '■ In use' }}</span>
      <span class="soft">{{ counted(each.folders, 'folder') }}, {{ counted(each.files, 'file') }}</span>
      <span v-if="rights.mayIn('librarian', each.id)" class="acts">
        <el-button size="small" @click="rename(each)">Rename</el-button>
        <pick-one
          v-if="rights.isAdministrator && collections.list.length > 1"
          class="into"
          :choices="othersThan(each.id)"
          placeholder="Merge into…"
          :label="`Merge ${each.name} into another collection`"
          @pick="(id) => merge(each, id)"
        />
        <el-button
          size="small"
          :title="each.retired ? 'It is listed and offered again' : 'Its sounds are listed only when it is asked for'"
          @click="update(each, { retired: !each.retired })"
          >{{ each.retired ? 'Take back' : 'Retire' }}</el-button
        >
      </span>
    </header>
    <dl>
      <dt>People</dt>
      <dd>
        <span v-if="each.people.length === 0" class="soft">Administrators only.</span>
        <span v-else>{{ peopleOf(each) }}</span>
        {{ ' '
        }}<router-link v-if="rights.isAdministrator" :to="{ path: '/setup', query: { show: 'people' } }"
          >Give roles</router-link
        >
      </dd>
      <dt>Review</dt>
      <dd>
        <el-checkbox
          :model-value="each.asksReview"
          :disabled="!rights.mayIn('librarian', each.id)"
          label="What assistants change here waits until a librarian accepts it"
          @update:model-value="(on) => update(each, { asksReview: on === true })"
        />
      </dd>
      <dt>Learned</dt>
      <dd><learned-words v-if="rights.mayIn('assistant', each.id)" :collection-id="each.id" /></dd>
      <dt>Places</dt>
      <dd>
        <collection-places
          :collection="each"
          :disabled="!rights.mayIn('librarian', each.id)"
          @set="(change) => update(each, change)"
        />
      </dd>
      <dt>Names</dt>
      <dd>
        <span class="mono">{{ patternWords(each) }}</span>
        <el-button
          v-if="rights.mayIn('librarian', each.id)"
          link
          @click="naming = naming === each.id ? undefined : each.id"
          >{{ naming === each.id ? 'Close' : 'Change' }}</el-button
        >
        <naming-pattern-form
          v-if="naming === each.id"
          :pattern="each.pattern"
          @save="(pattern) => saveNaming(each, pattern)"
        />
      </dd>
    </dl>
  </section>
</template>

<style scoped>
.make {
  display: flex;
  gap: 8px;
  max-width: 520px;
  margin: 8px 0;
}

.collection {
  margin: 12px 0;
  padding: 10px 14px;
}

header {
  display: flex;
  gap: 12px;
  align-items: baseline;
}

.acts {
  display: flex;
  gap: 8px;
  margin-left: auto;
}

.into {
  width: 130px;
}

dl {
  display: grid;
  grid-template-columns: 64px minmax(0, 1fr);
  gap: 6px 8px;
  align-items: baseline;
  margin: 8px 0 0;
}

dd {
  margin: 0;
}
</style>

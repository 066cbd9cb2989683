<script setup lang="ts">
import type { RecordEdit } from '@flagstone/core/record/edit';
import type { SoundRecord } from '@flagstone/core/record/fields';
import type { Selection } from '@flagstone/contract/selection';
import { ElButton } from 'element-plus';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../../api/client.ts';
import SoundCard from '../../components/sound-card/sound-card.vue';
import SoundTable from '../../components/sound-table/sound-table.vue';
import { counted } from '../../composables/format.ts';
import { showingErrors, tell } from '../../composables/use-errors.ts';
import { useKeys } from '../../composables/use-keys.ts';
import { useSoundList } from '../../composables/use-sound-list.ts';
import CategoryIndex from './category-index.vue';

const route = useRoute();
const router = useRouter();
const card = ref<InstanceType<typeof SoundCard>>();

const text = (value: unknown): string => (typeof value === 'string' ? value : '');
// The address bar holds the whole state, so that a link shows a colleague the same list.
const filter = computed(() => ({
  q: text(route.query['q']),
  category: text(route.query['category']),
  catId: text(route.query['catId']),
}));
const list = useSoundList(
  (query, signal) => call('listCatalogue', { query, signal }),
  filter,
  () => ({ kind: 'catalogue', filter: filter.value }),
);
void list.restart();

function choose(category: string, catId: string): void {
  const { category: _c, catId: _i, ...rest } = route.query;
  void router.replace({
    query: { ...rest, ...(category === '' ? {} : { category }), ...(catId === '' ? {} : { catId }) },
  });
}

async function edit(change: RecordEdit, selection: Selection | undefined = list.selection.value): Promise<void> {
  if (!selection) return;
  const result = await showingErrors(() => call('editRecords', { body: { selection, edit: change } }));
  if (result && result.changed > 1)
    tell(`${result.summary}: ${counted(result.changed, 'sound')} changed`, 'u takes it back.');
}

function editCell(copyIds: number[], set: Partial<SoundRecord>): void {
  void edit({ set }, { kind: 'copies', copyIds });
}

useKeys({ e: () => void card.value?.focusField() });
</script>

<template>
  <div class="catalogue">
    <category-index :filter="filter" @choose="choose" />
    <sound-table :list="list" label="Catalogue" @edit="editCell">
      <template #empty>
        <p v-if="list.loading.value" class="soft">Loading…</p>
        <template v-else-if="filter.q !== '' || filter.category !== '' || filter.catId !== ''">
          <p>
            Nothing found{{ filter.q === '' ? '' : ` for “${filter.q}”`
            }}{{ filter.category || filter.catId ? ' in this category' : '' }}.
          </p>
          <el-button @click="router.replace({ query: {} })">Show everything</el-button>
        </template>
        <p v-else>
          The catalogue is empty. Bring sounds in at <router-link to="/intake">Intake</router-link>, then file the
          batch.
        </p>
      </template>
    </sound-table>
    <sound-card
      ref="card"
      :rows="
        list.selectedCount.value > 0 ? list.selectedRows.value : list.currentRow.value ? [list.currentRow.value] : []
      "
      :count="list.selectedCount.value || (list.currentRow.value ? 1 : 0)"
      @edit="(change) => edit(change)"
    />
  </div>
</template>

<style scoped>
.catalogue {
  display: grid;
  grid-template-columns: 184px minmax(0, 1fr) 284px;
  height: 100%;
}
</style>

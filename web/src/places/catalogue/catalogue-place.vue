<script setup lang="ts">
import { ElButton } from 'element-plus';
import { toggleTerm } from '@flagstone/core/query/toggle-term';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../../api/client.ts';
import RecipeDrawer from '../../components/recipes/recipe-drawer.vue';
import SoundCard from '../../components/sound-card/sound-card.vue';
import SoundTable from '../../components/sound-table/sound-table.vue';
import { NARROWINGS, narrowingIn } from '../../composables/list-filter.ts';
import { counted } from '../../composables/format.ts';
import { useKeys } from '../../composables/use-keys.ts';
import { useRecordEdits } from '../../composables/use-record-edits.ts';
import { useSoundList } from '../../composables/use-sound-list.ts';
import CategoryIndex from './category-index.vue';

const route = useRoute();
const router = useRouter();
const cooking = ref(false);
const card = ref<InstanceType<typeof SoundCard>>();

const text = (value: unknown): string => (typeof value === 'string' ? value : '');
// The address bar holds the whole state, so that a link shows a colleague the same list.
const filter = computed(() => ({
  q: text(route.query['q']),
  category: text(route.query['category']),
  catId: text(route.query['catId']),
  ...narrowingIn(route.query),
}));
const isNarrowed = computed(() =>
  (['q', 'category', 'catId', ...NARROWINGS] as const).some((key) => filter.value[key] !== ''),
);
const list = useSoundList(
  (query, signal) => call('listCatalogue', { query, signal }),
  filter,
  () => ({ kind: 'catalogue', filter: filter.value }),
);
const { edit, editCell } = useRecordEdits(list);
void list.restart();

function choose(category: string, catId: string): void {
  const { category: _c, catId: _i, ...rest } = route.query;
  void router.replace({
    query: { ...rest, ...(category === '' ? {} : { category }), ...(catId === '' ? {} : { catId }) },
  });
}

/** Puts a value of the index into the search line, or takes it out: the line says all that narrows the list. */
function toggle(term: string): void {
  const { q: _, ...rest } = route.query;
  const q = toggleTerm(filter.value.q, term);
  void router.replace({ query: { ...rest, ...(q === '' ? {} : { q }) } });
}

function chooseCollections(collection: string): void {
  const { collection: _, ...rest } = route.query;
  void router.replace({ query: { ...rest, ...(collection === '' ? {} : { collection }) } });
}

useKeys({ e: () => void card.value?.focusField() });
</script>

<template>
  <div class="catalogue">
    <category-index :filter="filter" @choose="choose" @collections="chooseCollections" @toggle="toggle" />
    <sound-table :list="list" label="Catalogue" @edit="editCell">
      <template #empty>
        <p v-if="list.loading.value" class="soft">Loading…</p>
        <template v-else-if="isNarrowed">
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
      <template #foot>
        <el-button v-if="list.selectedCount.value > 0" size="small" class="recipe" @click="cooking = true"
          >Recipe for {{ counted(list.selectedCount.value, 'sound') }}…</el-button
        >
      </template>
    </sound-table>
    <recipe-drawer
      v-model="cooking"
      :selection="list.selection.value"
      :what="counted(list.selectedCount.value, 'sound')"
    />
    <sound-card
      ref="card"
      :rows="list.cardRows.value"
      :count="list.cardCount.value"
      :selection="list.selection.value"
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

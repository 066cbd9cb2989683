<script setup lang="ts">
import type { KeptCategoryList, WantedList } from '@flagstone/contract/category-lists';
import { ElButton, ElInput } from 'element-plus';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { call } from '../api/client.ts';
import { counted, formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useCategories } from '../stores/categories.ts';
import { useLive } from '../stores/live.ts';
import PlanDrawer from '../plans/plan-drawer.vue';
import type { PlanMaker } from '../plans/use-plan.ts';
import BehindList from './behind-list.vue';
import CategoryRelease from './category-release.vue';

/** The category list in force with its words and uses, and how to take another release of it. */
const categories = useCategories();
const live = useLive();
const typed = ref('');
const uses = ref(new Map<string, number>());
const kept = ref<KeptCategoryList[]>([]);
/** A list that is being compared with the one in force. */
const wanted = ref<WantedList>();

const found = computed(() => categories.list.search(typed.value, 1000));
const planning = ref(false);
/** Writes and renames of the files that are behind the list. */
const afterList: PlanMaker = { by: () => call('planAfterList') };

async function load(): Promise<void> {
  await showingErrors(async () => {
    const [counts, lists] = await Promise.all([call('countCategoryUses'), call('listCategoryLists')]);
    uses.value = new Map(counts.map(({ catId, records }) => [catId, records]));
    kept.value = lists;
  });
}
watch(() => categories.list, load, { immediate: true });
onBeforeUnmount(live.onRecords(() => void load()));

/** The bytes of a file in base64, as the browser gives them behind the comma of a data address. */
function base64Of(file: File): Promise<string> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve((reader.result as string).replace(/^[^,]*,/, ''));
    reader.onerror = () => reject(reader.error ?? new Error(`${file.name} cannot be read.`));
    reader.readAsDataURL(file);
  });
}

async function choose(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const [file] = input.files ?? [];
  if (!file) return;
  await showingErrors(async () => {
    wanted.value = { fileName: file.name, content: await base64Of(file) };
  });
  // So that the same file can be chosen again after it was corrected.
  input.value = '';
}
</script>

<template>
  <category-release v-if="wanted" :wanted="wanted" @close="wanted = undefined" />
  <template v-else>
    <div class="top">
      <p>
        <strong>{{ categories.list.source }}</strong>,
        {{ counted(categories.list.categories.length, 'category', 'categories') }}.
        <span v-if="kept.some(({ id, inForce }) => id === 0 && inForce)" class="soft"
          >Written from memory of the published list and not yet held against it: bring in the published sheet.</span
        >
      </p>
      <label class="file">
        <span class="button">Bring in another release…</span>
        <input
          type="file"
          accept=".xlsx,.csv,.tsv,.txt"
          aria-label="File of the release (XLSX, CSV or TSV)"
          @change="choose"
        />
      </label>
    </div>
    <ul v-if="kept.length > 1" class="kept" aria-label="Lists that are kept">
      <li v-for="list in kept" :key="list.id">
        <span>{{ list.inForce ? '● in force' : '○ kept' }}</span> <strong>{{ list.source }}</strong>
        <span class="soft"
          >{{ counted(list.categories, 'category', 'categories')
          }}{{ list.person && list.createdAt ? `, ${list.person}, ${formatWhen(list.createdAt)}` : '' }}</span
        >
        <el-button v-if="!list.inForce" size="small" @click="wanted = { id: list.id }">Compare and take…</el-button>
      </li>
    </ul>
    <behind-list @plan="planning = true" />
    <plan-drawer
      v-model="planning"
      kind="afterList"
      :selection="afterList"
      :what="`After ${categories.list.source}`"
      :current-copy-id="0"
    />
    <el-input
      v-model="typed"
      class="search"
      clearable
      placeholder="Search: CatID, name or word"
      aria-label="Search the category list"
    />
    <span class="soft" role="status">{{ counted(found.length, 'category', 'categories') }}</span>
    <div class="plain-scroll found panel">
      <table class="plain">
        <thead>
          <tr>
            <th>CatID</th>
            <th>Category</th>
            <th>SubCategory</th>
            <th class="number">Records</th>
            <th>Meaning and words</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="category in found" :key="category.catId">
            <td class="mono">{{ category.catId }}</td>
            <td>{{ category.category }}</td>
            <td>{{ category.subCategory }}</td>
            <td class="number">
              <router-link
                v-if="uses.get(category.catId)"
                :to="{ path: '/catalogue', query: { category: category.category, catId: category.catId } }"
                >{{ uses.get(category.catId)?.toLocaleString('en') }}</router-link
              >
            </td>
            <td>
              {{ category.meaning }}
              <div class="soft words" :title="category.words.join(', ')">{{ category.words.join(', ') }}</div>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="found.length === 0" class="soft none">No category with “{{ typed }}”. Try another word.</p>
    </div>
  </template>
</template>

<style scoped>
.top,
.kept li {
  display: flex;
  gap: 12px;
  align-items: center;
}

.top {
  justify-content: space-between;
}

.kept {
  margin: 8px 0;
  padding: 0;
  list-style: none;
}

.file {
  flex: none;
  position: relative;
}

.file input {
  position: absolute;
  inset: 0;
  opacity: 0;
  cursor: pointer;
}

.button {
  display: inline-block;
  padding: 4px 12px;
  border: 1px solid var(--lichen);
  background: var(--lichen);
  color: var(--surface);
}

.file:focus-within .button {
  outline: 2px solid var(--ink);
  outline-offset: 2px;
}

.search {
  width: 320px;
  margin: 8px 12px 8px 0;
}

.found {
  height: calc(100vh - 340px);
  padding: 0 12px;
}

.words {
  max-width: 560px;
  overflow: hidden;
  font-size: 12px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.none {
  padding: 12px 0;
}
</style>

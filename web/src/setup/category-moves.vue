<script setup lang="ts">
import type { CategoryList } from '@flagstone/core/ucs/category-list';
import { ElButton } from 'element-plus';
import CategoryPicker from '../card/category-picker.vue';
import type { CategoryMoveRow, CategoryMoves } from './category-moves.ts';

/** CatIDs that a list does not have, with their records, and where these go. */
defineProps<{ rows: readonly CategoryMoveRow[]; list: CategoryList; mayMove: boolean }>();
const moves = defineModel<CategoryMoves>({ required: true });
defineSlots<{ records?: (row: CategoryMoveRow) => unknown }>();

const choose = (catId: string, to: string): void => void (moves.value = { ...moves.value, [catId]: to });
</script>

<template>
  <table class="plain">
    <thead>
      <tr>
        <th>CatID</th>
        <th class="number">Records</th>
        <th>Go to</th>
        <th>Likeliest</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.catId">
        <td>
          <span class="mono">{{ row.catId }}</span> <span v-if="row.names" class="soft">{{ row.names }}</span>
        </td>
        <td class="number">
          <slot name="records" v-bind="row">{{ row.records.toLocaleString('en') }}</slot>
        </td>
        <td class="target">
          <category-picker
            v-if="mayMove"
            :model-value="moves[row.catId] ?? ''"
            :from="list"
            placeholder="Nowhere yet"
            :label="`New CatID for ${row.catId}`"
            @update:model-value="(to: string) => choose(row.catId, to)"
          />
        </td>
        <td>
          <template v-if="row.likely">
            <el-button v-if="mayMove" size="small" @click="choose(row.catId, row.likely)">{{ row.likely }}</el-button>
            <span v-else class="mono">{{ row.likely }}</span>
            <span v-if="row.why" class="soft why">{{ row.why }}</span>
          </template>
          <span v-else class="soft">none is like it</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.target {
  width: 320px;
}

.why {
  margin-left: 8px;
}
</style>

<script setup lang="ts">
import { ElButton, ElPopover, ElSwitch } from 'element-plus';
import { asked } from '../ui/asked.ts';
import { useColumns } from './columns-store.ts';
import { COLUMNS } from './columns.ts';

/** Which columns are shown, their order, the height of rows, and the layouts that are kept under names. */
const columns = useColumns();
void columns.load();

async function keep(): Promise<void> {
  const name = await asked(
    'Under which name? A layout of yours of that name is replaced.',
    'Keep the columns',
    '',
    'Keep them',
  );
  if (name !== undefined) await columns.save(name);
}
const isShown = (key: string): boolean => columns.shown.some((each) => each.key === key);
</script>

<template>
  <el-popover trigger="click" placement="bottom-end" :width="300" popper-class="column-chooser">
    <template #reference><el-button size="small">Columns</el-button></template>
    <div class="body">
      <div v-if="columns.named.length > 0" class="named" role="group" aria-label="Kept layouts">
        <span v-for="each in columns.named" :key="each.id" class="one">
          <button type="button" class="in-line-button" @click="columns.apply(each.id)">{{ each.name }}</button>
          <button
            type="button"
            class="in-line-button"
            :aria-label="`Forget ${each.name}`"
            @click="columns.remove(each.id)"
          >
            ✕
          </button>
        </span>
      </div>
      <ul>
        <li v-for="(column, at) in columns.shown" :key="column.key">
          <label
            ><input type="checkbox" checked :disabled="column.key === 'name'" @change="columns.turn(column.key)" />
            {{ column.label }}</label
          >
          <span v-if="at > 0">
            <button
              type="button"
              class="in-line-button"
              :disabled="at < 2"
              :aria-label="`${column.label} further left`"
              @click="columns.move(column.key, -1)"
            >
              ↑
            </button>
            <button
              type="button"
              class="in-line-button"
              :disabled="at === columns.shown.length - 1"
              :aria-label="`${column.label} further right`"
              @click="columns.move(column.key, 1)"
            >
              ↓
            </button>
          </span>
        </li>
        <li v-for="column in COLUMNS.filter(({ key }) => !isShown(key))" :key="column.key" class="soft">
          <label><input type="checkbox" @change="columns.turn(column.key)" /> {{ column.label }}</label>
        </li>
      </ul>
      <div class="foot">
        <el-switch
          :model-value="columns.layout.density === 'roomy'"
          size="small"
          active-text="Roomy rows"
          @change="(on) => columns.setDensity(on ? 'roomy' : 'dense')"
        />
        <el-button size="small" @click="keep">Keep as…</el-button>
        <el-button size="small" @click="columns.reset">As at first</el-button>
      </div>
    </div>
  </el-popover>
</template>

<style scoped>
ul {
  max-height: 320px;
  margin: 0 0 8px;
  padding: 0;
  overflow: auto;
  list-style: none;
}

li {
  display: flex;
  justify-content: space-between;
  line-height: 24px;
}

.named {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  margin-bottom: 8px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--hairline);
}

.foot {
  display: flex;
  gap: 6px;
  align-items: center;
  justify-content: space-between;
}

.foot :deep(.el-button + .el-button) {
  margin-left: 0;
}
</style>

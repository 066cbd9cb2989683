<script setup lang="ts">
import { ElDialog } from 'element-plus';
import { KEY_PLACES, KEYS, type KeyUse } from '../ui/keys.ts';

const shown = defineModel<boolean>({ required: true });

const groups = KEY_PLACES.map(({ title, places }) => ({
  title,
  uses: places.flatMap((place): readonly KeyUse[] => KEYS[place]),
}));
</script>

<template>
  <el-dialog v-model="shown" title="Keys" width="520">
    <p class="soft">No key acts while you type in a field.</p>
    <section v-for="{ title, uses } in groups" :key="title">
      <h3>{{ title }}</h3>
      <dl>
        <template v-for="use in uses" :key="use.does">
          <dt>
            <kbd>{{ use.shown }}</kbd>
          </dt>
          <dd>{{ use.does }}</dd>
        </template>
      </dl>
    </section>
  </el-dialog>
</template>

<style scoped>
h3 {
  margin: 12px 0 6px;
}

dl {
  display: grid;
  grid-template-columns: 100px 1fr;
  row-gap: 6px;
}

dd {
  margin: 0;
}
</style>

<script setup lang="ts">
import { formContextKey, type FormContext } from 'element-plus';
import { computed, provide, reactive } from 'vue';
import { READ_ONLY } from './read-only.ts';

/** A part of a page that may only be looked at while it is `on`: its controls are there, and cannot be used. */
const props = defineProps<{
  on: boolean;
  /** Said above it while it is on; a part within a part that says it already needs none. */
  why?: string;
}>();

const isOn = computed(() => props.on);
// What a form tells the controls within it; a form itself would nest in other forms, which HTML forbids.
provide(formContextKey, reactive({ disabled: isOn }) as unknown as FormContext);
provide(READ_ONLY, isOn);
</script>

<template>
  <p v-if="on && why" class="soft why" role="note">◌ To look at: {{ why }}</p>
  <slot />
</template>

<style scoped>
.why {
  margin: 4px 0;
}
</style>

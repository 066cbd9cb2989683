<script setup lang="ts">
/** Stands in the place of a page that cannot be shown: what it is, and in the slot why and where to go on. */
defineProps<{ title: string }>();
</script>

<template>
  <section class="notice" role="alert" :aria-label="title">
    <h1>{{ title }}</h1>
    <slot />
  </section>
</template>

<style scoped>
.notice {
  display: grid;
  gap: 10px;
  align-content: start;
  max-width: 560px;
  padding: 48px 32px;
}
</style>

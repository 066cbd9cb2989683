<script setup lang="ts">
/** One sheet in the middle of the window, over whatever is behind it: to sign in, and to choose a password. */
defineProps<{ label: string }>();
</script>

<template>
  <div class="over">
    <main class="sheet" :aria-label="label"><slot /></main>
  </div>
</template>

<style scoped>
.over {
  position: fixed;
  inset: 0;
  z-index: 3000;
  display: grid;
  place-items: center;
  overflow: auto;
  background: color-mix(in srgb, var(--ground) 88%, transparent);
}

.sheet {
  display: flex;
  flex-direction: column;
  gap: 12px;
  width: 380px;
  margin: 24px;
  padding: 24px;
  border: 1px solid var(--hairline);
  border-top: 4px solid var(--lichen);
  border-radius: 4px;
  background: var(--surface);
}
</style>

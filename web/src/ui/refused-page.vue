<script setup lang="ts">
import type { ErrorBody } from '@flagstone/contract/endpoint';

/** Stands in the place of one thing that cannot be shown: it is not there, or not for whoever is signed in. */
defineProps<{ refused: ErrorBody; back: string; backLabel: string }>();
</script>

<template>
  <section class="refused" role="alert">
    <h1>{{ refused.code === 'NOT_ALLOWED' ? 'This is not for you to see' : 'There is nothing here' }}</h1>
    <p>{{ refused.message }}</p>
    <p>{{ refused.remedy }}</p>
    <p>
      <router-link :to="back">{{ backLabel }}</router-link>
    </p>
  </section>
</template>

<style scoped>
.refused {
  display: grid;
  gap: 10px;
  align-content: start;
  max-width: 560px;
  padding: 48px 32px;
}
</style>

<script setup lang="ts">
import type { ErrorBody } from '@flagstone/contract/endpoint';
import PageNotice from './page-notice.vue';

/** Stands in the place of one thing that cannot be shown: it is not there, or not for whoever is signed in. */
defineProps<{ refused: ErrorBody; back: string; backLabel: string }>();
</script>

<template>
  <page-notice :title="refused.code === 'NOT_ALLOWED' ? 'This is not for you to see' : 'There is nothing here'">
    <p>{{ refused.message }}</p>
    <p>{{ refused.remedy }}</p>
    <p>
      <router-link :to="back">{{ backLabel }}</router-link>
    </p>
  </page-notice>
</template>

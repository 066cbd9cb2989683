<script setup lang="ts">
import type { LicenceTold } from '@flagstone/contract/copy-out';
import { counted } from '../ui/format.ts';

/** What the licences of some sounds forbid or ask for, the most frequent ones. */
defineProps<{ licences: readonly LicenceTold[]; most: number }>();
</script>

<template>
  <ul v-if="licences.length > 0" class="licences" aria-label="What their licences say">
    <li v-for="each in licences.slice(0, most)" :key="each.licence">
      <template v-if="each.licence === ''"
        >? No licence is known of {{ counted(each.sounds, 'sound') }} of these.</template
      >
      <template v-else
        >§ {{ counted(each.sounds, 'sound') }} under “{{ each.licence }}”: {{ each.says.join(', ') }}.</template
      >
    </li>
    <li v-if="licences.length > most" class="soft">
      and {{ counted(licences.length - most, 'more licence') }}; a delivery is held to all of them.
    </li>
  </ul>
</template>

<style scoped>
.licences {
  margin: 0;
  padding: 0;
  color: var(--ochre-ink);
  list-style: none;
}
</style>

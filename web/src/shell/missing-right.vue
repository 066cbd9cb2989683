<script setup lang="ts">
import type { Role } from '@flagstone/contract/roles';
import { computed } from 'vue';
import { useCollections } from '../stores/collections.ts';
import { aRole } from '../stores/person-rights.ts';
import PageNotice from '../ui/page-notice.vue';
import { useRights } from '../stores/rights.ts';

/** Stands in the place of a page that whoever is signed in may not use: what it needs, what they are, and who can change that. */
defineProps<{ place: string; role: Role }>();

const rights = useRights();
const collections = useCollections();
void collections.load();
const own = computed(() =>
  [...rights.roles].map(([id, role]) => `${aRole(role)} in “${collections.nameOf(id)}”`).join(', '),
);
const isNobody = computed(() => rights.best === undefined);
</script>

<template>
  <page-notice :title="isNobody ? 'You have no role in any collection yet' : `${place} needs ${aRole(role)}`">
    <p v-if="isNobody">So there is nothing that you could see here: no sounds, no lists. You are signed in rightly.</p>
    <p v-else>
      {{ place }} is for {{ role }}s, and those who may do more. You are {{ own }}. Nothing here is broken, and nothing
      was changed.
    </p>
    <p>An administrator gives roles, under Setup, People.</p>
    <p v-if="!isNobody">
      <router-link to="/catalogue">To the catalogue</router-link>
    </p>
  </page-notice>
</template>

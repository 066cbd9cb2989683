<script setup lang="ts">
import { useRoute } from 'vue-router';
import { Box, Calendar, Collection, Setting, Tickets } from '@element-plus/icons-vue';

const route = useRoute();

/** The places in the order of the work. */
const PLACES = [
  { path: '/today', label: 'Today', icon: Calendar },
  { path: '/intake', label: 'Intake', icon: Box },
  { path: '/catalogue', label: 'Catalogue', icon: Collection },
  { path: '/pull', label: 'Pull lists', icon: Tickets },
  { path: '/setup', label: 'Setup', icon: Setting },
];
</script>

<template>
  <nav class="rail" aria-label="Places">
    <img src="/flagstone.svg" alt="Flagstone" width="30" height="30" />
    <router-link
      v-for="place in PLACES"
      :key="place.path"
      :to="place.path"
      class="link"
      :class="{ current: route.path.startsWith(place.path) }"
      :aria-current="route.path.startsWith(place.path) ? 'page' : undefined"
    >
      <component :is="place.icon" class="icon" aria-hidden="true" />
      {{ place.label }}
    </router-link>
  </nav>
</template>

<style scoped>
.rail {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 4px;
  padding: 8px 0;
  border-right: 1px solid var(--hairline);
  background: var(--sunken);
}

img {
  margin-bottom: 12px;
}

.link {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 3px;
  width: 100%;
  padding: 8px 0;
  border-left: 3px solid transparent;
  color: var(--ink);
  font-size: 12px;
  text-decoration: none;
}

.link:hover {
  background: var(--ground);
}

.link.current {
  border-left-color: var(--lichen);
  background: var(--surface);
  font-weight: 600;
}

.icon {
  width: 18px;
}
</style>

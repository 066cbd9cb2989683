<script setup lang="ts">
import { computed } from 'vue';
import { useRoute } from 'vue-router';
import { useRights } from '../stores/rights.ts';
import { useWaiting } from '../stores/waiting.ts';
import { useSavedSearches } from '../search/saved-searches-store.ts';
import { useSearchTabs } from '../search/search-tabs-store.ts';
import { Box, Calendar, Collection, EditPen, Operation, Promotion, Setting, Tickets } from '@element-plus/icons-vue';

const route = useRoute();
const saved = useSavedSearches();
const rights = useRights();
const mine = useWaiting();
/** The catalogue is gone back to as it was left. */
const tabs = useSearchTabs();

/** The places in the order of the work. */
const PLACES = [
  { path: '/today', label: 'Today', icon: Calendar, needs: 'listener' },
  { path: '/intake', label: 'Intake', icon: Box, needs: 'assistant' },
  { path: '/catalogue', label: 'Catalogue', icon: Collection, needs: 'listener' },
  { path: '/review', label: 'Review', icon: EditPen, needs: 'assistant' },
  { path: '/pull', label: 'Pull lists', icon: Tickets, needs: 'editor' },
  { path: '/deliveries', label: 'Deliveries', icon: Promotion, needs: 'editor' },
  { path: '/drift', label: 'Drift', icon: Operation, needs: 'assistant' },
  { path: '/setup', label: 'Setup', icon: Setting, needs: 'librarian' },
] as const;
/** What is for others is not offered; its address says what is missing. */
const places = computed(() => PLACES.filter(({ needs }) => rights.may(needs)));
</script>

<template>
  <nav class="rail" aria-label="Places">
    <img src="/flagstone.svg" alt="Flagstone" width="30" height="30" />
    <router-link
      v-for="place in places"
      :key="place.path"
      :to="place.path === '/catalogue' ? { path: place.path, query: tabs.current?.address ?? {} } : place.path"
      class="link"
      :class="{ current: route.path.startsWith(place.path) }"
      :aria-current="route.path.startsWith(place.path) ? 'page' : undefined"
    >
      <component :is="place.icon" class="icon" aria-hidden="true" />
      {{ place.label }}
      <span
        v-if="place.path === '/today' && saved.withArrivals > 0"
        class="badge"
        title="Saved searches with something new"
        >{{ saved.withArrivals }}<span class="visually-hidden">saved searches with something new</span></span
      >
      <span v-if="place.path === '/today' && mine.counts.remarks > 0" class="badge waits" title="Remarks that name you"
        >❞ {{ mine.counts.remarks }}<span class="visually-hidden">remarks that name you</span></span
      >
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
  position: relative;
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

.badge {
  position: absolute;
  top: 4px;
  right: 12px;
  min-width: 16px;
  background: var(--lichen);
  color: var(--surface);
  font-size: 11px;
  line-height: 16px;
  text-align: center;
}

/* Beside the other one. */
.waits {
  right: auto;
  left: 8px;
  padding: 0 3px;
}

.icon {
  width: 18px;
}
</style>

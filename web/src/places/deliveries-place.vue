<script setup lang="ts">
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from '../api/client.ts';
import { standingOf } from '../delivery/delivery-states.ts';
import DeliveryView from '../delivery/delivery-view.vue';
import { formatDay } from '../ui/format.ts';
import { useAnswer } from '../ui/use-answer.ts';

/** What goes out, to whom and until when; each delivery is kept, and made again when what it holds has changed. */
const route = useRoute();
const router = useRouter();
const { answer: deliveries, load } = useAnswer(
  () => 'deliveries',
  () => call('listDeliveries'),
);
const openId = computed(() => {
  const given = Number(route.params['id']);
  return given > 0 ? given : deliveries.value?.[0]?.id;
});

async function forgotten(): Promise<void> {
  await load();
  await router.replace('/deliveries');
}
</script>

<template>
  <div class="deliveries">
    <aside class="list" aria-label="Deliveries">
      <h2>Deliveries</h2>
      <router-link
        v-for="each in deliveries"
        :key="each.id"
        :to="`/deliveries/${each.id}`"
        class="one"
        :class="{ current: each.id === openId }"
        :aria-current="each.id === openId ? 'page' : undefined"
      >
        <strong>{{ each.name }}</strong>
        <span v-if="each.forWhom !== ''" class="soft">for {{ each.forWhom }}</span>
        <span class="foot">
          <span :class="standingOf(each).kind">{{ standingOf(each).sign }} {{ standingOf(each).word }}</span>
          <span v-if="each.deadline !== ''" class="soft">due {{ formatDay(each.deadline) }}</span>
        </span>
      </router-link>
      <p v-if="deliveries && deliveries.length > 0" class="soft how">
        A new one begins with <b>Deliver…</b> in the <router-link to="/catalogue">Catalogue</router-link> or on a
        <router-link to="/pull">pull list</router-link>.
      </p>
    </aside>
    <delivery-view v-if="openId !== undefined" :id="openId" :key="openId" @changed="load" @removed="forgotten" />
    <section v-else-if="deliveries" class="empty">
      <p>
        Nothing goes out yet. A delivery is a pull list or a search in the form that somebody asked for: rate, depth,
        channels, names, folders. It is kept, and makes only what changed when you deliver it again.
      </p>
      <p>
        Begin with <b>Deliver…</b> on a <router-link to="/pull">pull list</router-link> or in the
        <router-link to="/catalogue">Catalogue</router-link>.
      </p>
    </section>
  </div>
</template>

<style scoped>
.deliveries {
  display: grid;
  grid-template-columns: 230px minmax(0, 1fr);
  height: 100%;
  min-height: 0;
}

.list {
  display: flex;
  flex-direction: column;
  gap: 2px;
  padding: 12px;
  overflow: auto;
}

.list h2 {
  margin-bottom: 6px;
}

.one {
  display: flex;
  flex-direction: column;
  padding: 6px 8px;
  color: var(--ink);
  text-decoration: none;
  overflow-wrap: anywhere;
}

.one.current {
  background: var(--selected);
  box-shadow: inset 3px 0 0 var(--lichen);
}

.foot {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
}

.how {
  margin-top: 10px;
}

.done {
  color: var(--lichen);
}

.open {
  color: var(--ochre-ink);
}

.fault {
  color: var(--iron);
}

.empty {
  max-width: 560px;
  padding: 40px;
}
</style>

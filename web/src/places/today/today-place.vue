<script setup lang="ts">
import type { Batch } from '@flagstone/contract/api';
import { onBeforeUnmount, ref } from 'vue';
import { call } from '../../api/client.ts';
import { counted, formatFailed, formatWhen } from '../../composables/format.ts';
import { showingErrors } from '../../composables/use-errors.ts';
import { useLive } from '../../stores/live.ts';

const live = useLive();
type Overview = Awaited<ReturnType<typeof call<'getOverview'>>>;
const overview = ref<Overview>();
const open = ref<Batch[]>([]);

async function load(): Promise<void> {
  await showingErrors(async () => {
    const [counts, batches] = await Promise.all([call('getOverview'), call('listBatches')]);
    overview.value = counts;
    open.value = batches.filter((batch) => batch.filedAt === null);
  });
}
void load();
onBeforeUnmount(live.onRecords(() => void load()));
onBeforeUnmount(live.onJob((job) => job.state !== 'running' && void load()));
</script>

<template>
  <div v-if="overview" class="today">
    <section class="tiles" aria-label="The collection in numbers">
      <router-link to="/catalogue" class="tile"
        ><strong>{{ overview.counts.filed.toLocaleString('en') }}</strong>
        {{ overview.counts.filed === 1 ? 'sound' : 'sounds' }} in the catalogue</router-link
      >
      <router-link to="/intake" class="tile"
        ><strong>{{ (overview.counts.sounds - overview.counts.filed).toLocaleString('en') }}</strong> in
        preparation</router-link
      >
      <div class="tile">
        <strong>{{ overview.counts.copies.toLocaleString('en') }}</strong> files on the drives
      </div>
      <div class="tile" :class="{ attention: overview.counts.behind > 0 }">
        <strong>{{ overview.counts.behind.toLocaleString('en') }}</strong> files behind their record
      </div>
      <div class="tile" :class="{ attention: overview.counts.unreadable > 0 }">
        <strong>{{ overview.counts.unreadable.toLocaleString('en') }}</strong> unreadable files
      </div>
    </section>
    <div class="columns">
      <section class="panel">
        <h2>Batches in preparation</h2>
        <p v-if="open.length === 0" class="soft">
          {{ overview.counts.sounds === 0 ? 'Nothing here yet. ' : 'All batches are filed. '
          }}<router-link to="/intake">Bring sounds in</router-link>: choose one of the drives and read it.
        </p>
        <ul>
          <li v-for="batch in open" :key="batch.id">
            <router-link :to="`/intake/${batch.id}`"
              ><strong>{{ batch.name }}</strong></router-link
            >
            <span
              >{{ counted(batch.counts.all, 'file') }}, {{ batch.counts.all - batch.counts.categorised }} without a
              category</span
            >
            <span class="soft">{{ batch.createdBy }}, {{ formatWhen(batch.createdAt) }}</span>
          </li>
        </ul>
      </section>
      <section class="panel">
        <h2>Latest jobs</h2>
        <p v-if="live.jobs.length === 0" class="soft">None yet.</p>
        <ul>
          <li v-for="job in live.jobs.slice(0, 12)" :key="job.id">
            <strong>{{ job.title }}</strong>
            <span>{{ counted(job.done, 'file') }} {{ formatFailed(job) }}</span>
            <span class="soft">{{ formatWhen(job.createdAt) }}</span>
          </li>
        </ul>
      </section>
    </div>
  </div>
</template>

<style scoped>
.today {
  display: flex;
  flex-direction: column;
  gap: 12px;
  height: 100%;
  padding: 12px;
}

.tiles {
  display: grid;
  grid-template-columns: repeat(5, 1fr);
  gap: 12px;
}

.tile {
  padding: 14px 16px;
  border: 1px solid var(--hairline);
  background: var(--surface);
  color: var(--ink);
  text-decoration: none;
}

a.tile:hover {
  border-color: var(--lichen);
}

.tile strong {
  display: block;
  font-size: 26px;
  font-weight: 500;
}

.tile.attention {
  border-bottom: 3px solid var(--ochre);
}

.columns {
  display: grid;
  flex: 1;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
  min-height: 0;
}

.panel {
  padding: 12px 16px;
  overflow: auto;
}

ul {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}

li {
  display: grid;
  grid-template-columns: 1fr auto 190px;
  gap: 12px;
  padding: 6px 0;
  border-top: 1px solid var(--hairline);
}
</style>

<script setup lang="ts">
import type { DriftDay } from '@flagstone/contract/drift';
import type { Drive } from '@flagstone/contract/drives';
import type { Backups } from '@flagstone/contract/backups';
import type { EndingLicence } from '@flagstone/contract/licences';
import type { Batch } from '@flagstone/contract/intake';
import type { Statistics } from '@flagstone/contract/statistics';
import { valueInLine } from '@flagstone/core/query/begun-term';
import { fieldLabel } from '@flagstone/core/record/fields';
import { computed, onBeforeUnmount, ref } from 'vue';
import { call } from '../api/client.ts';
import { barsByDay } from '../drift/drift-rows.ts';
import JobLine from '../jobs/job-line.vue';
import { counted, formatDay, formatWhen } from '../ui/format.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { useLastVisit } from '../ui/use-last-visit.ts';
import { useLive } from '../stores/live.ts';
import { useRights } from '../stores/rights.ts';
import { useSession } from '../stores/session.ts';
import { useSavedSearches } from '../search/saved-searches-store.ts';
import WaitingPanel from '../remarks/waiting-panel.vue';
import BarChart from '../ui/bar-chart.vue';

const MOST_CATEGORIES = 10;

const live = useLive();
const saved = useSavedSearches();
const rights = useRights();
const session = useSession();
const news = computed(() => saved.list.filter(({ arrived }) => arrived > 0));
const lastVisit = useLastVisit();
type Overview = Awaited<ReturnType<typeof call<'getOverview'>>>;
const overview = ref<Overview>();
const statistics = ref<Statistics>();
const open = ref<Batch[]>([]);
const away = ref<Drive[]>([]);
const added = ref({ filed: 0, inPreparation: 0 });
/** How the backups stand, for those who look after them. */
const backups = ref<Backups>();
/** Licences that end soon, or have ended. */
const ending = ref<EndingLicence[]>([]);
const today = new Date().toISOString().slice(0, 10);
const DRIFT_DAYS = 30;
const drift = ref<DriftDay[]>([]);

async function load(): Promise<void> {
  await showingErrors(async () => {
    const [counts, batches, drives, numbers, news, days] = await Promise.all([
      call('getOverview'),
      call('listBatches'),
      call('listDrives'),
      call('getStatistics'),
      call('countAdded', { query: { since: lastVisit } }),
      call('getDriftTrend', { query: { days: DRIFT_DAYS } }),
    ]);
    backups.value = rights.isAdministrator ? await call('getBackups') : undefined;
    ending.value = rights.may('assistant') ? await call('listEndingLicences') : [];
    drift.value = days;
    overview.value = counts;
    // Those that were given to whoever looks stand first.
    const isMine = ({ givenTo }: Batch): boolean => givenTo?.id === session.person?.id;
    const unfiled = batches.filter((batch) => batch.filedAt === null);
    open.value = [...unfiled.filter(isMine), ...unfiled.filter((batch) => !isMine(batch))];
    away.value = drives.filter((drive) => drive.state === 'away' && !drive.retired);
    statistics.value = numbers;
    added.value = news;
  });
}
void load();

// A job that measures tells of every sound: the numbers are asked for again when it is through, and now and then on the way.
const AGAIN_MS = 5000;
let waiting: ReturnType<typeof setTimeout> | undefined;
function loadSoon(): void {
  waiting ??= setTimeout(() => {
    waiting = undefined;
    void load();
  }, AGAIN_MS);
}
onBeforeUnmount(() => clearTimeout(waiting));
onBeforeUnmount(live.onRecords(loadSoon));
onBeforeUnmount(live.onJob((job) => job.state !== 'running' && void load()));

const jobs = computed(() => [...live.running, ...live.jobs.filter((job) => !live.running.includes(job))].slice(0, 5));
const notInStep = computed(() => {
  const states = statistics.value?.notInStep;
  return states ? states.behind + states.ahead + states.split : 0;
});

const catalogue = (query: Record<string, string>): string => `/catalogue?${new URLSearchParams(query).toString()}`;
const number = (value: number): string => value.toLocaleString('en');

const categoryBars = computed(() => {
  const all = statistics.value?.categories ?? [];
  const named = all.filter(({ category }) => category !== '').slice(0, MOST_CATEGORIES);
  return named.map(({ category, count }) => ({
    label: category,
    value: count,
    shown: counted(count, 'sound'),
    to: catalogue({ category }),
  }));
});
const completenessBars = computed(() => {
  const { filed = 0, completeness = [] } = statistics.value ?? {};
  return completeness.map(({ field, filled }) => ({
    label: fieldLabel(field),
    value: filed === 0 ? 0 : Math.round((100 * filled) / filed),
    shown: `${number(filled)} of ${number(filed)} filled, ${number(filed - filled)} without`,
    to: catalogue({ missing: field }),
  }));
});
const bandBars = (bands: Statistics['lengths'], key: 'length' | 'loudness') =>
  bands.map(({ label, range, count }) => ({
    label: label.replace(/ (s|LUFS)$/, ''),
    value: count,
    shown: `${label}: ${counted(count, 'sound')}`,
    to: catalogue({ [key]: range }),
  }));
const driftBars = computed(() => barsByDay(drift.value));
const growthBars = computed(() =>
  (statistics.value?.growth ?? []).slice(-30).map(({ day, total }) => ({
    label: new Date(day).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' }),
    value: total,
    shown: `${counted(total, 'sound')} by then`,
    to: catalogue({ since: `${day}T00:00:00Z` }),
  })),
);
</script>

<template>
  <div v-if="overview && statistics" class="today">
    <section class="tiles" aria-label="The collection in numbers">
      <router-link to="/catalogue" class="tile">
        <strong>{{ number(overview.counts.filed) }}</strong>
        {{ overview.counts.filed === 1 ? 'sound' : 'sounds' }} in the catalogue
      </router-link>
      <router-link v-if="rights.may('assistant')" to="/intake" class="tile">
        <strong>{{ number(overview.counts.sounds - overview.counts.filed) }}</strong> in preparation
      </router-link>
      <router-link :to="catalogue({ since: lastVisit })" class="tile">
        <strong>{{ number(added.filed) }}</strong> new since {{ formatWhen(lastVisit) }}
      </router-link>
      <router-link
        :to="rights.may('assistant') ? '/drift' : catalogue({ state: 'notInStep' })"
        class="tile"
        :class="{ attention: notInStep > 0 }"
      >
        <strong>{{ number(notInStep) }}</strong> files not In step
      </router-link>
      <router-link
        :to="catalogue({ state: 'gone' })"
        class="tile"
        :class="{ attention: statistics.notInStep.gone > 0 }"
      >
        <strong>{{ number(statistics.notInStep.gone) }}</strong> files Gone
      </router-link>
      <router-link
        v-if="rights.may('assistant')"
        to="/intake"
        class="tile"
        :class="{ attention: overview.counts.unreadable > 0 }"
      >
        <strong>{{ number(overview.counts.unreadable) }}</strong> unreadable files
      </router-link>
    </section>
    <p v-if="statistics.notInStep.damaged > 0" class="away damaged" role="alert">
      ⚡ <strong>{{ counted(statistics.notInStep.damaged, 'file') }} damaged:</strong> the audio is not what it was,
      though nobody changed the {{ statistics.notInStep.damaged === 1 ? 'file' : 'files' }}.
      <router-link :to="catalogue({ state: 'damaged', ...(rights.may('librarian') ? { open: 'restore' } : {}) })">{{
        rights.may('librarian') ? 'See and restore' : 'See which'
      }}</router-link>
    </p>
    <waiting-panel />
    <p v-for="drive in away" :key="drive.id" class="away">
      □ The drive <strong>{{ drive.name }}</strong> is away: {{ counted(drive.copies, 'file') }} can be found and
      described, but not played from it. It was last at <span class="mono">{{ drive.rootPath }}</span>.
      <router-link v-if="rights.may('librarian')" to="/setup">Drives</router-link>
    </p>
    <p v-if="backups && (backups.error !== '' || backups.isOverdue)" class="away damaged" role="alert">
      ✕ {{ backups.error !== '' ? 'The last backup of the database failed.' : 'A backup of the database is overdue.' }}
      {{ backups.last ? `The last good one is of ${formatWhen(backups.last.at)}.` : 'There is none yet.' }}
      <router-link to="/setup?show=backup">Backup</router-link>
    </p>
    <p v-for="licence in ending" :key="licence.name" class="away">
      ▲ The licence <strong>{{ licence.name }}</strong> {{ licence.until < today ? 'ended' : 'ends' }} on
      {{ formatDay(licence.until) }}:
      <router-link :to="catalogue({ q: `licence:=${valueInLine(licence.name)}` })">{{
        counted(licence.sounds, 'sound')
      }}</router-link>
    </p>
    <section v-if="news.length > 0" class="panel news" aria-label="Saved searches with something new">
      <h2>New in saved searches</h2>
      <ul class="batches">
        <li v-for="search in news" :key="search.id">
          <router-link :to="{ path: '/catalogue', query: search.query }" @click="saved.visit(search.id)"
            ><strong>{{ search.name }}</strong></router-link
          >
          <span>{{ counted(search.arrived, 'sound') }} new of {{ number(search.count) }}</span>
        </li>
      </ul>
    </section>
    <div class="columns">
      <section v-if="rights.may('assistant')" class="panel">
        <h2>Batches in preparation</h2>
        <p v-if="open.length === 0" class="soft">
          {{ overview.counts.sounds === 0 ? 'Nothing here yet. ' : 'All batches are filed. ' }}
          <template v-if="rights.may('librarian')"
            ><router-link to="/intake">Bring sounds in</router-link>: choose one of the drives and read it.</template
          >
        </p>
        <ul class="batches">
          <li v-for="batch in open" :key="batch.id">
            <router-link :to="`/intake/${batch.id}`"
              ><strong>{{ batch.name }}</strong></router-link
            >
            <span
              >{{ counted(batch.counts.all, 'file') }}, {{ batch.counts.all - batch.counts.categorised }} without a
              category</span
            >
            <span v-if="batch.givenTo"
              >◉ given to {{ batch.givenTo.id === session.person?.id ? 'you' : batch.givenTo.name }}</span
            >
            <span class="soft">{{ batch.createdBy }}, {{ formatWhen(batch.createdAt) }}</span>
          </li>
        </ul>
      </section>
      <section v-if="rights.may('editor')" class="panel">
        <h2>Latest jobs</h2>
        <p v-if="live.areJobsLoaded && jobs.length === 0" class="soft">None yet.</p>
        <ul>
          <job-line v-for="job in jobs" :key="job.id" :job="job" />
        </ul>
      </section>
    </div>
    <div v-if="statistics.filed > 0" class="charts">
      <bar-chart title="Sounds by category" lying :bars="categoryBars" />
      <bar-chart title="Described, % of sounds by field" lying :most="100" :bars="completenessBars" />
      <bar-chart title="Length, seconds" :bars="bandBars(statistics.lengths, 'length')" />
      <bar-chart
        :title="`Loudness, LUFS (${number(statistics.measured)} of ${number(statistics.filed)} measured)`"
        :bars="bandBars(statistics.loudness, 'loudness')"
      />
      <bar-chart v-if="driftBars.length > 1" title="Files not In step, by day" :bars="driftBars" />
      <bar-chart
        v-if="growthBars.length > 1"
        title="Growth of the catalogue"
        :bars="growthBars"
        :class="{ wide: driftBars.length < 2 }"
      />
    </div>
    <section v-else class="panel soft">Charts of the catalogue show here once the first batch is filed.</section>
  </div>
</template>

<style scoped>
.today {
  display: flex;
  flex-direction: column;
  gap: 12px;
  height: 100%;
  padding: 12px;
  overflow: auto;
}

.tiles {
  display: grid;
  grid-auto-columns: 1fr;
  grid-auto-flow: column;
  gap: 12px;
}

.tile {
  padding: 10px 14px;
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
  font-size: 24px;
  font-weight: 500;
}

.tile.attention {
  border-bottom: 3px solid var(--ochre);
}

.away.damaged {
  border-color: var(--iron);
}

.away {
  margin: 0;
  padding: 8px 14px;
  border: 1px solid var(--ochre);
  background: var(--surface);
}

.columns {
  display: grid;
  flex: none;
  grid-auto-rows: minmax(72px, max-content);
  grid-auto-columns: 1fr;
  grid-auto-flow: column;
  gap: 12px;
}

.panel {
  padding: 10px 14px;
  overflow: auto;
}

.columns .panel {
  max-height: 176px;
}

.charts {
  display: grid;
  flex: 1 0 auto;
  grid-auto-rows: 196px;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}

.wide {
  grid-column: 1 / -1;
}

ul {
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
}

.batches li {
  display: grid;
  grid-template-columns: 1fr auto 190px;
  gap: 12px;
  padding: 6px 0;
  border-top: 1px solid var(--hairline);
}
</style>

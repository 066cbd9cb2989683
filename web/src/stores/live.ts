import { liveEventSchema, type Job } from '@flagstone/contract/jobs';
import type { Presence } from '@flagstone/contract/presence';
import { defineStore } from 'pinia';
import { useSession } from './session.ts';
import { useCategories } from './categories.ts';
import { PAGE_ID } from '../ui/page-id.ts';
import { showingErrors } from '../ui/use-errors.ts';
import { computed, ref, watch } from 'vue';
import { call } from '../api/client.ts';

/** After the server refused to tell of events, it is asked again. */
const RETRY_MS = 2000;

type Listener = (soundIds: ReadonlySet<number>, onlyMeasured: boolean) => void;

/** Jobs and changes of records as they happen, by server-sent events. */
export const useLive = defineStore('live', () => {
  const jobs = ref<Job[]>([]);
  /** Whether they are known: before, none says nothing. */
  const areJobsLoaded = ref(false);
  const connected = ref(false);
  const recordListeners = new Set<Listener>();
  const jobListeners = new Set<(job: Job) => void>();
  const pullListeners = new Set<() => void>();
  const presenceListeners = new Set<(presence: Presence, isHere: boolean) => void>();
  const openListeners = new Set<() => void>();
  /** Under way or about to be; what waits for a drive to come back may wait for long. */
  const running = computed(() =>
    jobs.value.filter((job) => job.state === 'running' || (job.state === 'waiting' && job.awaitsDrive === null)),
  );

  /** Jobs told of while the list was on its way: they are newer than what it says. */
  let heardMeanwhile = new Map<string, Job>();

  async function reloadJobs(): Promise<void> {
    heardMeanwhile = new Map();
    const list = await call('listJobs');
    const newest = list.map((job) => heardMeanwhile.get(job.id) ?? job);
    const unlisted = [...heardMeanwhile.values()].filter((job) => !list.some(({ id }) => id === job.id));
    jobs.value = [...unlisted, ...newest];
    areJobsLoaded.value = true;
  }

  let events: EventSource | undefined;

  /**
   * Listens while the page is seen: a browser has six lines to a server, and pages in hidden tabs or kept for going back would hold one
   * each. Whoever comes back is told to ask for everything again.
   */
  function start(): void {
    const follow = (): void => {
      if (document.visibilityState === 'visible') events ??= listen();
      else {
        events?.close();
        events = undefined;
      }
    };
    document.addEventListener('visibilitychange', follow);
    window.addEventListener('pageshow', follow);
    const session = useSession();
    watch(
      () => session.isOut,
      (isOut) => isOut || follow(),
    );
    follow();
  }

  function listen(): EventSource {
    const source = new EventSource(`/api/events?page=${PAGE_ID}`);
    // What happened while the line was down is not repeated, so everything is asked for again.
    source.addEventListener('open', () => {
      connected.value = true;
      askAnew();
      for (const listener of openListeners) listener();
    });
    source.addEventListener('error', () => {
      connected.value = false;
      // Refused, not broken: the browser does not try again by itself.
      if (source.readyState !== EventSource.CLOSED) return;
      setTimeout(() => void listenAgain(source), RETRY_MS);
    });
    source.addEventListener('live', (message) => {
      const event = liveEventSchema.parse(JSON.parse(message.data as string));
      if (event.type === 'missed') {
        askAnew();
        void showingErrors(() => useCategories().load());
      } else if (event.type === 'records') {
        const ids = new Set(event.soundIds);
        for (const listener of recordListeners) listener(ids, event.measured === true);
      } else if (event.type === 'categories') {
        void showingErrors(() => useCategories().load());
      } else if (event.type === 'pullLists') {
        for (const listener of pullListeners) listener();
      } else if (event.type === 'presence') {
        for (const listener of presenceListeners) listener(event.presence, event.isHere);
      } else if (event.type === 'people') {
        // Rights or names changed: perhaps one's own.
        void showingErrors(() => useSession().load());
      } else {
        heardMeanwhile.set(event.job.id, event.job);
        jobs.value = [event.job, ...jobs.value.filter((job) => job.id !== event.job.id)].slice(0, 50);
        for (const listener of jobListeners) listener(event.job);
      }
    });
    return source;
  }

  /** After it was refused. Whoever is signed out is told so, and listens again once somebody has signed in. */
  async function listenAgain(source: EventSource): Promise<void> {
    if (events !== source) return;
    events = undefined;
    const session = useSession();
    if (document.visibilityState !== 'visible') return;
    if (session.isOut || !(await session.load().catch(() => true))) return;
    events ??= listen();
  }

  function askAnew(): void {
    void showingErrors(() => reloadJobs());
    for (const listener of recordListeners) listener(new Set(), false);
    for (const listener of pullListeners) listener();
  }

  /** Calls back when records change (an empty set: anything may have). Returns how to stop. */
  function onRecords(listener: Listener): () => void {
    recordListeners.add(listener);
    return () => void recordListeners.delete(listener);
  }

  /** Calls back when anything may have changed: settings too. Returns how to stop. */
  const onAnything = (listener: () => void): (() => void) => onRecords((ids) => void (ids.size === 0 && listener()));

  /** Calls back at each step of each job. Returns how to stop. */
  function onJob(listener: (job: Job) => void): () => void {
    jobListeners.add(listener);
    return () => void jobListeners.delete(listener);
  }

  /** Calls back when a pull list changed. Returns how to stop. */
  function onPullLists(listener: () => void): () => void {
    pullListeners.add(listener);
    return () => void pullListeners.delete(listener);
  }

  /** Calls back when somebody comes, goes or opens something else. Returns how to stop. */
  function onPresence(listener: (presence: Presence, isHere: boolean) => void): () => void {
    presenceListeners.add(listener);
    return () => void presenceListeners.delete(listener);
  }

  /** Calls back when the line to the server is there, for the first time or again. Returns how to stop. */
  function onOpen(listener: () => void): () => void {
    openListeners.add(listener);
    return () => void openListeners.delete(listener);
  }

  return {
    jobs,
    areJobsLoaded,
    running,
    connected,
    start,
    onRecords,
    onAnything,
    onJob,
    onPullLists,
    onPresence,
    onOpen,
  };
});

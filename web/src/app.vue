<script setup lang="ts">
import { ElConfigProvider, ElMessageBox } from 'element-plus';
import { refDebounced, useEventListener } from '@vueuse/core';
import { computed, onMounted, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import BringInDialog from './arriving/bring-in-dialog.vue';
import ConflictDialog from './shell/conflict-dialog.vue';
import DropVeil from './arriving/drop-veil.vue';
import KeyHelp from './shell/key-help.vue';
import ListeningStrip from './player/listening-strip.vue';
import SignInForm from './people/sign-in-form.vue';
import PlaceRail from './shell/place-rail.vue';
import TopBar from './shell/top-bar.vue';
import { showError, showingErrors, tell } from './ui/use-errors.ts';
import { useKeys } from './ui/use-keys.ts';
import { pageKey } from './shell/page-key.ts';
import { call } from './api/client.ts';
import { useCategories } from './stores/categories.ts';
import { useLive } from './stores/live.ts';
import { usePlayer } from './player/player-store.ts';
import { usePullLists } from './delivery/pull-lists-store.ts';
import { useRights } from './stores/rights.ts';
import MissingRight from './shell/missing-right.vue';
import { useSession } from './stores/session.ts';

const session = useSession();
const categories = useCategories();
const live = useLive();
const player = usePlayer();
const pulls = usePullLists();
const rights = useRights();
const route = useRoute();
const RETRY_MS = 2000;
const ready = ref(false);
const isWaiting = ref(false);
const helpShown = ref(false);

/** Tried until it succeeds: a server that starts, or whose database is away, is there a moment later. */
async function begin(): Promise<void> {
  try {
    // Everything else is asked for by somebody.
    if (!(await session.load())) return void (isWaiting.value = false);
    await categories.load();
  } catch (error) {
    if (!isWaiting.value) showError(error);
    isWaiting.value = true;
    setTimeout(() => void begin(), RETRY_MS);
    return;
  }
  isWaiting.value = false;
  live.start();
  if (rights.may('editor')) void pulls.load();
  ready.value = true;
}
onMounted(begin);
/** Whoever comes in first, on a page that was opened by nobody. */
watch(
  () => session.person === undefined,
  (isNobody) => !isNobody && !ready.value && begin(),
);

/** Nothing is shown to somebody who was never in; behind the form to sign in again the page stays as it was. */
const isNobodys = computed(() => route.meta['isOpen'] === true || (session.isOut && !session.person));

/** Said only when it lasts: the line to a server breaks for a moment whenever a page is hidden and shown. */
const isCutOff = refDebounced(
  computed(() => isWaiting.value || (ready.value && !live.connected)),
  RETRY_MS,
);

async function undo(): Promise<void> {
  await showingErrors(async () => {
    const { summary, job, asks } = await call('undoLast', { body: {} });
    if (asks) await undoPlan(asks);
    else if (!job) tell(summary);
  });
}

/** Nothing touches files before it was said what. */
async function undoPlan({ planId, title }: { planId: number; title: string }): Promise<void> {
  const options = { confirmButtonText: title, cancelButtonText: 'Leave it', type: 'warning' } as const;
  const question = `What you did last changed files. ${title}?`;
  const isSure = await ElMessageBox.confirm(question, 'Undo', options).catch(() => undefined);
  if (isSure) await call('undoLast', { body: { planId } });
}

async function redo(): Promise<void> {
  await showingErrors(async () => tell((await call('redoLast')).summary));
}

// Escape leaves a field, so that the keys act again.
useEventListener(window, 'keydown', (event) => {
  const { target } = event;
  if (event.key === 'Escape' && target instanceof HTMLElement && target.matches('input, textarea')) target.blur();
});

useKeys('everywhere', {
  Space: () => player.toggle(),
  u: (event) => void (event.shiftKey ? redo() : undo()),
  'Ctrl+z': (event) => void (event.shiftKey ? redo() : undo()),
  'Ctrl+y': () => void redo(),
  '?': () => void (helpShown.value = true),
});
useKeys('pulling', {
  // A sound's own page pulls it with what was marked and tried out there.
  p: () =>
    player.row && rights.may('editor') && !route.path.startsWith('/sound/')
      ? void pulls.add(player.row, player.part ?? null, null)
      : false,
});
</script>

<template>
  <el-config-provider size="small">
    <router-view v-if="route.meta['isOpen']" />
    <sign-in-form v-else-if="session.isOut" />
    <div v-show="!isNobodys" class="frame" :inert="session.isOut">
      <place-rail class="rail" />
      <top-bar class="top" @undo="undo" @help="helpShown = true" />
      <main class="place">
        <p v-if="isCutOff" class="cut-off" role="alert">
          ● Not connected. What you see may be old, and nothing can be saved; Flagstone tries again by itself.
        </p>
        <router-view v-if="ready && !route.meta['isOpen']" v-slot="{ Component, route: shown }">
          <missing-right
            v-if="shown.meta.needs && !rights.may(shown.meta.needs)"
            :place="shown.meta.title ?? 'This page'"
            :role="shown.meta.needs"
          />
          <component :is="Component" v-else :key="pageKey(shown)" />
        </router-view>
      </main>
      <listening-strip class="strip" />
      <key-help v-model="helpShown" />
      <conflict-dialog />
      <bring-in-dialog />
      <drop-veil />
    </div>
  </el-config-provider>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template: 44px minmax(0, 1fr) 116px / 76px minmax(0, 1fr);
  height: 100%;
  overflow: hidden;
}

.rail {
  grid-row: 1 / 3;
}

.cut-off {
  margin: 0;
  padding: 6px 12px;
  background: var(--iron);
  color: #fff;
}

.place {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr);
  min-height: 0;
  overflow: hidden;
}

.place > :last-child {
  grid-row: 2;
}

.strip {
  grid-column: 1 / 3;
}
</style>

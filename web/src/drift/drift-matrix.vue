<script setup lang="ts">
import type { DriftCounts } from '@flagstone/contract/drift';
import { ref } from 'vue';
import { useCollections } from '../stores/collections.ts';
import { useRights } from '../stores/rights.ts';
import { counted, formatDay } from '../ui/format.ts';
import DriftCells from './drift-cells.vue';
import { DRIFT_COLUMNS } from './drift-columns.ts';
import { listBehind, type DriftDrive } from './drift-rows.ts';

/** Drives and the folders that were read from them down, states across; each number opens its list. */
defineProps<{ rows: readonly DriftDrive[]; total: DriftCounts; collection: number | undefined }>();

const emit = defineEmits<{ prove: [driveId: string] }>();

const collections = useCollections();
const rights = useRights();
/** Drives whose folders are shown. */
const unfolded = ref<ReadonlySet<string>>(new Set());

function turn(id: string): void {
  const now = new Set(unfolded.value);
  if (!now.delete(id)) now.add(id);
  unfolded.value = now;
}

const number = (value: number): string => value.toLocaleString('en');
const whole = (folder: string): string => (folder === '' ? 'the whole drive' : folder);
</script>

<template>
  <table class="matrix">
    <thead>
      <tr>
        <th scope="col">Drive, and what was read from it</th>
        <th scope="col">Collection</th>
        <th v-for="column in DRIFT_COLUMNS" :key="column.state" scope="col" class="count" :title="column.explains">
          <span class="shape" :class="column.state" aria-hidden="true">{{ column.shape }}</span> {{ column.word }}
        </th>
        <th scope="col" class="proof" title="When the file was read as a whole whose proof is the oldest">
          Oldest proof
        </th>
      </tr>
    </thead>
    <tbody v-for="drive in rows" :key="drive.id">
      <tr class="drive">
        <th scope="row">
          <button type="button" class="fold" :aria-expanded="unfolded.has(drive.id)" @click="turn(drive.id)">
            <span aria-hidden="true">{{ unfolded.has(drive.id) ? '▾' : '▸' }}</span> {{ drive.name }}
          </button>
          <span v-if="drive.isAway" class="note"
            >□ away<template v-if="drive.notInStepWhenLastHere > 0"
              >; {{ number(drive.notInStepWhenLastHere) }} not In step when last here</template
            ></span
          >
          <span v-else-if="drive.isRetired" class="note">retired</span>
        </th>
        <td class="soft">{{ counted(drive.folders.length, 'folder') }}</td>
        <drift-cells :counts="drive.counts" :of="{ drive: drive.id, collection }" :where="`on ${drive.name}`" />
        <td class="proof soft">
          {{ drive.oldestProofAt === null ? 'none yet' : formatDay(drive.oldestProofAt) }}
          <button
            v-if="rights.may('librarian') && !drive.isAway && !drive.isRetired"
            type="button"
            class="fold act"
            :aria-label="`Prove the files of ${drive.name}…`"
            @click="emit('prove', drive.id)"
          >
            Prove…
          </button>
        </td>
      </tr>
      <template v-if="unfolded.has(drive.id)">
        <tr class="folder">
          <td colspan="100">
            <router-link :to="{ path: '/catalogue', query: listBehind('alone', { drive: drive.id, collection }) }"
              >What is on {{ drive.name }} only</router-link
            >
            <span v-if="drive.proof !== null" class="note"
              >proved by itself every {{ drive.proof.everyDays }} days</span
            >
          </td>
        </tr>
        <tr v-for="folder in drive.folders" :key="folder.readFolderId ?? 0" class="folder">
          <th scope="row" class="mono">
            {{ folder.readFolderId === null ? 'in no folder that was read' : whole(folder.folder) }}
          </th>
          <td>{{ folder.collectionId === null ? 'none' : collections.nameOf(folder.collectionId) }}</td>
          <drift-cells
            :counts="folder.counts"
            :of="{ drive: drive.id, readFolder: folder.readFolderId, collection: folder.collectionId ?? collection }"
            :where="`in ${whole(folder.folder)}, ${drive.name}`"
          />
          <td class="proof soft">
            {{ folder.lastReadAt === null ? '' : `read ${formatDay(folder.lastReadAt)}` }}
          </td>
        </tr>
      </template>
    </tbody>
    <tfoot v-if="rows.length > 1">
      <tr>
        <th scope="row">All drives</th>
        <td></td>
        <drift-cells :counts="total" :of="{ collection }" where="on all drives" />
        <td></td>
      </tr>
    </tfoot>
  </table>
</template>

<style scoped>
.matrix {
  width: 100%;
  border-collapse: collapse;
  background: var(--surface);
}

th,
td {
  height: 28px;
  padding: 2px 10px;
  border-bottom: 1px solid var(--hairline);
  font-weight: 400;
  text-align: left;
}

thead th {
  position: sticky;
  z-index: 1;
  top: 0;
  background: var(--sunken);
  color: var(--ink-soft);
  font-size: 12px;
  white-space: nowrap;
}

.count {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.drive th {
  font-weight: 600;
}

.folder th {
  padding-left: 34px;
}

tfoot tr {
  font-weight: 600;
}

tfoot th {
  font-weight: inherit;
}

.fold {
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.act {
  margin-left: 6px;
  color: var(--lichen);
  font-weight: 600;
  text-decoration: underline;
}

.folder td[colspan] {
  padding-left: 34px;
}

.note {
  margin-left: 8px;
  color: var(--ink-soft);
  font-weight: 400;
}

.proof {
  white-space: nowrap;
}

.shape.inStep {
  color: var(--lichen);
}

.shape.behind,
.shape.ahead {
  color: var(--ochre);
}

.shape.split {
  color: var(--heather);
}

.shape.gone,
.shape.damaged,
.shape.unreadable {
  color: var(--iron);
}
</style>

<script setup lang="ts">
import type { Unreadable } from '@flagstone/contract/intake';

/** What of a batch's folder is in no row of it: files that could not be read, and audio of other formats. */
defineProps<{ unreadable: Unreadable[]; otherAudio: Record<string, number> }>();
</script>

<template>
  <section class="unreadable">
    <template v-if="unreadable.length > 0">
      <h2>Files that could not be read</h2>
      <p class="soft">They are left exactly as they are. The rest of the folder was read.</p>
      <table class="plain">
        <thead>
          <tr>
            <th>File</th>
            <th>What is wrong</th>
            <th>What to do</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="fault in unreadable" :key="fault.id">
            <td>
              <span class="mono">{{ fault.name || '(the folder)' }}</span>
              <div class="soft">{{ fault.folder }}</div>
            </td>
            <td>{{ fault.message }}</td>
            <td>{{ fault.remedy }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-if="Object.keys(otherAudio).length > 0">
      <h2>Sounds of other formats</h2>
      <p class="soft">
        Flagstone does not take them up, and leaves them exactly as they are. Convert those that belong to the
        collection to WAV or FLAC and read the folder again; the originals may stay beside them.
      </p>
      <table class="plain formats">
        <thead>
          <tr>
            <th>Format</th>
            <th class="number">Files</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(count, kind) in otherAudio" :key="kind">
            <td>{{ kind }}</td>
            <td class="number">{{ count.toLocaleString('en') }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.unreadable {
  min-width: 0;
  overflow: auto;
  padding: 12px;
  background: var(--surface);
}

h2 + .soft {
  max-width: 72ch;
}

.formats {
  width: 360px;
}
</style>

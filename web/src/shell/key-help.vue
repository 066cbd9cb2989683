<script setup lang="ts">
import { ElDialog } from 'element-plus';

const shown = defineModel<boolean>({ required: true });

const KEYS: [string, string][] = [
  ['Space', 'Play or pause'],
  ['↑ ↓', 'Previous and next sound, playing at once while “play on select” is on'],
  ['Enter', 'Accept the first suggestion and go on (Describe); try the current item (Name, Write)'],
  ['1 … 5', 'Accept that suggestion (Intake)'],
  ['/', 'Search'],
  ['e', 'Edit the card'],
  ['r', 'Name: see the planned names (Intake)'],
  ['w', 'Write: see what would go into the files (Intake)'],
  ['u, Ctrl+Z', 'Undo your last change'],
  ['Shift+U, Ctrl+Y', 'Do again what you undid'],
  ['Ctrl+A', 'Select all'],
  ['Shift+↑ ↓', 'Widen the selection; Ctrl+Space takes a row in or out'],
  ['← →', 'Choose the column of the table, with Shift several'],
  ['F2', 'Edit the chosen cell in place; a double click edits any field'],
  ['Ctrl+C, Ctrl+V', 'Copy and paste cells, also from and to a spreadsheet; one value goes into all selected rows'],
  ['Ctrl+D', 'Fill down: the first selected row’s value for all selected'],
  ['m', 'Next sound with something missing (Describe)'],
  ['[ ]', 'Mark the start and the end of a part at the play line; x takes the mark away'],
  ['Shift+Space', 'Play the marked part; l repeats it'],
  ['+ − f z', 'Zoom the strip: closer, further, the whole sound, the marked part'],
  ['o', 'Open the sound: spectrogram, slices, trying out'],
  ['p', 'Pull the sound, or its marked part, into the pull list'],
  ['1 … 9', 'Play that slice (Sound)'],
  ['s  k  j', 'Slice the marked part, split a slice at the play line, join it with the next (Sound)'],
  ['.', 'Set a sync point at the play line; ← → move the chosen one by samples (Sound)'],
  ['c', 'Cut slices out into files of their own (Sound)'],
  ['h', 'Hear the sound as it is tried out (Sound)'],
  ['Alt+1 … 5', 'Rate; Alt+0 takes the rating back'],
  ['b', 'Make it a favourite, or no favourite any more'],
  ['n  q', 'Another search in a tab of its own; the next tab (Catalogue)'],
  ['v', 'The next kept layout of columns'],
  ['Shift+← →', 'On the heading of a column: narrower or wider'],
  ['t', 'Tap a tempo in time; it is taken when you stop'],
  ['?', 'These keys'],
];
</script>

<template>
  <el-dialog v-model="shown" title="Keys" width="520">
    <p class="soft">No key acts while you type in a field.</p>
    <dl>
      <template v-for="[key, does] in KEYS" :key="key">
        <dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ does }}</dd>
      </template>
    </dl>
  </el-dialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 100px 1fr;
  row-gap: 6px;
}

dd {
  margin: 0;
}
</style>

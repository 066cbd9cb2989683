/** Keys that mean the same, how they are shown and what they do. Keys that a control takes by itself (copying, the heading of a column) are only shown. */
export interface KeyUse {
  /** As `useKeys` names them. */
  keys: readonly string[];
  shown: string;
  does: string;
}

/** Every key of the application by the place where it acts; the help is made of it, and `useKeys` takes no other. */
export const KEYS = {
  everywhere: [
    { keys: ['Space'], shown: 'Space', does: 'Play or pause' },
    { keys: ['u', 'Ctrl+z'], shown: 'u, Ctrl+Z', does: 'Undo your last change; with Shift do again what you undid' },
    { keys: ['Ctrl+y'], shown: 'Ctrl+Y', does: 'Do again what you undid' },
    { keys: ['?'], shown: '?', does: 'These keys' },
  ],
  search: [{ keys: ['/'], shown: '/', does: 'Search' }],
  strip: [
    { keys: ['[', ']'], shown: '[ ]', does: 'Mark the start and the end of a part at the play line' },
    { keys: ['x'], shown: 'x', does: 'Take the mark away' },
    { keys: ['Shift+Space'], shown: 'Shift+Space', does: 'Play the marked part' },
    { keys: ['l'], shown: 'l', does: 'Repeat it' },
    { keys: ['+', '=', '-'], shown: '+ −', does: 'Zoom closer and further' },
    { keys: ['f', 'z'], shown: 'f z', does: 'Show the whole sound; the marked part' },
    { keys: ['o'], shown: 'o', does: 'Open the sound: spectrogram, slices, trying out' },
  ],
  pulling: [{ keys: ['p'], shown: 'p', does: 'Pull the sound, or its marked part, into the pull list' }],
  table: [
    {
      keys: ['ArrowDown', 'ArrowUp'],
      shown: '↑ ↓',
      does: 'Previous and next sound, playing at once while “play on select” is on; with Shift widen the selection',
    },
    { keys: ['PageDown', 'PageUp', 'Home'], shown: 'Page, Home', does: 'Twenty sounds on or back; the first one' },
    { keys: ['Ctrl+Space'], shown: 'Ctrl+Space', does: 'Take the row in or out of the selection' },
    { keys: ['Ctrl+a'], shown: 'Ctrl+A', does: 'Select all' },
    { keys: ['Escape'], shown: 'Esc', does: 'Select nothing' },
    { keys: ['ArrowLeft', 'ArrowRight'], shown: '← →', does: 'Choose the column of the table, with Shift several' },
    { keys: ['F2'], shown: 'F2', does: 'Edit the chosen cell in place; a double click edits any field' },
    {
      keys: [],
      shown: 'Ctrl+C, Ctrl+V',
      does: 'Copy and paste cells, also from and to a spreadsheet; one value goes into all selected rows',
    },
    { keys: ['Ctrl+d'], shown: 'Ctrl+D', does: 'Fill down: the first selected row’s value for all selected' },
    { keys: ['v'], shown: 'v', does: 'The next kept layout of columns' },
    { keys: [], shown: 'Shift+← →', does: 'On the heading of a column: narrower or wider' },
  ],
  marks: [
    {
      keys: ['Alt+1', 'Alt+2', 'Alt+3', 'Alt+4', 'Alt+5', 'Alt+0'],
      shown: 'Alt+1 … 5',
      does: 'Rate; Alt+0 takes the rating back',
    },
    { keys: ['b'], shown: 'b', does: 'Make it a favourite, or no favourite any more' },
  ],
  catalogue: [
    { keys: ['e'], shown: 'e', does: 'Edit the card' },
    { keys: ['w'], shown: 'w', does: 'Write the records of the selection, or of a narrowed list, into their files' },
    { keys: ['r'], shown: 'r', does: 'Rename the files of the selection, or of a narrowed list' },
    { keys: ['n', 'q'], shown: 'n  q', does: 'Another search in a tab of its own; the next tab' },
  ],
  batch: [
    { keys: ['Enter'], shown: 'Enter', does: 'Accept the first suggestion and go on (Describe)' },
    { keys: ['1', '2', '3', '4', '5'], shown: '1 … 5', does: 'Accept that suggestion (Describe)' },
    { keys: ['m'], shown: 'm', does: 'Next sound with something missing (Describe)' },
    { keys: ['e'], shown: 'e', does: 'Edit the card' },
    { keys: ['r'], shown: 'r', does: 'Name: see the planned names' },
    { keys: ['w'], shown: 'w', does: 'Write: see what would go into the files' },
  ],
  plan: [{ keys: ['Enter'], shown: 'Enter', does: 'Try the current item (Name, Write)' }],
  tempo: [{ keys: ['t'], shown: 't', does: 'Tap a tempo in time; it is taken when you stop' }],
  sound: [
    { keys: ['1', '2', '3', '4', '5', '6', '7', '8', '9'], shown: '1 … 9', does: 'Play that slice' },
    {
      keys: ['s', 'k', 'j'],
      shown: 's  k  j',
      does: 'Slice the marked part, split a slice at the play line, join it with the next',
    },
    { keys: ['Enter'], shown: 'Enter', does: 'Keep the slices that were found' },
    { keys: ['.'], shown: '.', does: 'Set a sync point at the play line' },
    { keys: ['ArrowLeft', 'ArrowRight'], shown: '← →', does: 'Move the chosen sync point by samples' },
    { keys: ['Delete'], shown: 'Delete', does: 'Remove the chosen sync point or slice' },
    { keys: ['c'], shown: 'c', does: 'Cut slices out into files of their own' },
    { keys: ['h'], shown: 'h', does: 'Hear the sound as it is tried out' },
    { keys: ['p'], shown: 'p', does: 'Pull the sound as it was marked and tried out' },
    { keys: ['Escape'], shown: 'Esc', does: 'Let go of what is chosen, then go back' },
  ],
  review: [
    {
      keys: ['ArrowDown', 'ArrowUp'],
      shown: '↑ ↓',
      does: 'The proposal before or after; its sound comes to the strip',
    },
    { keys: ['Enter'], shown: 'Enter', does: 'Accept the proposal' },
    { keys: ['Ctrl+Enter'], shown: 'Ctrl+Enter', does: 'Accept all that the person proposed of the sound' },
    { keys: ['r'], shown: 'r', does: 'Return it, or all of the sound, with a remark' },
  ],
  pullList: [
    {
      keys: ['ArrowDown', 'ArrowUp'],
      shown: '↑ ↓',
      does: 'Play the entry before or after; with Shift move it, or all chosen',
    },
    { keys: ['Enter'], shown: 'Enter', does: 'Play the entry' },
    { keys: ['c'], shown: 'c', does: 'Choose it, or no more; Ctrl+click and Shift+click choose too' },
    { keys: ['Delete'], shown: 'Delete', does: 'Take it, or all chosen, off the list' },
  ],
} as const satisfies Record<string, readonly KeyUse[]>;

export type KeyPlace = keyof typeof KEYS;
/** The keys of a place. */
export type KeyIn<Place extends KeyPlace> = (typeof KEYS)[Place][number]['keys'][number];

/** How places are headed in the help, in its order. */
export const KEY_PLACES: readonly { title: string; places: readonly KeyPlace[] }[] = [
  { title: 'Everywhere', places: ['everywhere', 'search', 'pulling'] },
  { title: 'Listening strip', places: ['strip'] },
  { title: 'Lists of sounds', places: ['table', 'marks', 'tempo'] },
  { title: 'Catalogue', places: ['catalogue'] },
  { title: 'A batch of Intake', places: ['batch', 'plan'] },
  { title: 'A sound’s own page', places: ['sound'] },
  { title: 'Review', places: ['review'] },
  { title: 'Pull lists', places: ['pullList'] },
];

const ALWAYS: readonly KeyPlace[] = ['everywhere', 'search', 'strip'];
/** Which places act together, page by page (and step by step where a step takes another's place): no key may be in two of them. */
export const KEYS_TOGETHER: Record<string, readonly KeyPlace[]> = {
  catalogue: [...ALWAYS, 'pulling', 'table', 'marks', 'catalogue', 'tempo'],
  describe: [...ALWAYS, 'pulling', 'table', 'batch', 'tempo'],
  plan: [...ALWAYS, 'pulling', 'table', 'plan'],
  sound: [...ALWAYS, 'sound'],
  pull: [...ALWAYS, 'pulling', 'pullList'],
  review: [...ALWAYS, 'review'],
};

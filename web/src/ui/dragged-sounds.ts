/** What travels with a drag inside the application: copies of sounds, or entries of a pull list. */
const SOUNDS = 'application/x-flagstone-copies';
const ENTRIES = 'application/x-flagstone-entries';

/** More are not dragged one by one: a button pulls them by the selection. */
export const MOST_DRAGGED = 500;

export function dragSounds({ dataTransfer }: DragEvent, copyIds: readonly number[]): void {
  dataTransfer?.setData(SOUNDS, copyIds.join(','));
}

export function dragEntries({ dataTransfer }: DragEvent, ids: readonly number[]): void {
  dataTransfer?.setData(ENTRIES, ids.join(','));
}

/** Whether a drag brings sounds or entries; what exactly can only be read when it is dropped. */
export function brings({ dataTransfer }: DragEvent): 'sounds' | 'entries' | undefined {
  if (dataTransfer?.types.includes(SOUNDS)) return 'sounds';
  return dataTransfer?.types.includes(ENTRIES) ? 'entries' : undefined;
}

/** Whether a drag goes out of the element that listens, not only from one thing within it to another. */
export function leaves({ currentTarget, relatedTarget }: DragEvent): boolean {
  return !(currentTarget instanceof Node && relatedTarget instanceof Node && currentTarget.contains(relatedTarget));
}

/** The copies that were dropped. */
export const droppedCopies = (event: DragEvent): number[] => droppedNumbers(event, SOUNDS);

/** The entries that were dropped. */
export const droppedEntries = (event: DragEvent): number[] => droppedNumbers(event, ENTRIES);

function droppedNumbers({ dataTransfer }: DragEvent, kind: string): number[] {
  const text = dataTransfer?.getData(kind) ?? '';
  return text === '' ? [] : text.split(',').map(Number).filter(Number.isSafeInteger);
}

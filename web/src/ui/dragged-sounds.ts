/** What travels with a drag inside the application: copies of sounds, or an entry of a pull list. */
const SOUNDS = 'application/x-flagstone-copies';
const ENTRY = 'application/x-flagstone-entry';

/** More are not dragged one by one: a button pulls them by the selection. */
export const MOST_DRAGGED = 500;

export function dragSounds({ dataTransfer }: DragEvent, copyIds: readonly number[]): void {
  dataTransfer?.setData(SOUNDS, copyIds.join(','));
}

export function dragEntry({ dataTransfer }: DragEvent, id: number): void {
  dataTransfer?.setData(ENTRY, String(id));
}

/** Whether a drag brings sounds or an entry; what exactly can only be read when it is dropped. */
export function brings({ dataTransfer }: DragEvent): 'sounds' | 'entry' | undefined {
  if (dataTransfer?.types.includes(SOUNDS)) return 'sounds';
  return dataTransfer?.types.includes(ENTRY) ? 'entry' : undefined;
}

/** Whether a drag goes out of the element that listens, not only from one thing within it to another. */
export function leaves({ currentTarget, relatedTarget }: DragEvent): boolean {
  return !(currentTarget instanceof Node && relatedTarget instanceof Node && currentTarget.contains(relatedTarget));
}

/** The copies that were dropped. */
export function droppedCopies({ dataTransfer }: DragEvent): number[] {
  const text = dataTransfer?.getData(SOUNDS) ?? '';
  return text === '' ? [] : text.split(',').map(Number).filter(Number.isSafeInteger);
}

/** The entry that was dropped. */
export function droppedEntry({ dataTransfer }: DragEvent): number | undefined {
  return Number(dataTransfer?.getData(ENTRY)) || undefined;
}

import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import type { Span } from '../wave/wave-data.ts';

/** What of a sound is dragged out of the window: the part, and the steps of trying it out, where there are any. */
export interface DraggedSound {
  copyId: number;
  soundId: number;
  name: string;
  part: Span | undefined;
  steps: TryOut | undefined;
}

/** The address and the name of the file that a sound dragged onto the desktop becomes: the marked part or the whole, tried out or as it is. */
export function draggedFile({ copyId, soundId, name, part, steps }: DraggedSound): { path: string; name: string } {
  const base = name.replace(/\.[^.]*$/, '');
  const edges = part ? { from: String(part.from), to: String(part.to) } : undefined;
  if (steps)
    return {
      path: `/api/sounds/${soundId}/tried-out?${new URLSearchParams({ ...edges, steps: JSON.stringify(steps) }).toString()}`,
      name: `${base} tried out.wav`,
    };
  if (edges)
    return {
      path: `/api/copies/${copyId}/part?${new URLSearchParams(edges).toString()}`,
      name: `${base} part.wav`,
    };
  return { path: `/api/copies/${copyId}/audio`, name };
}

/** What Chromium makes a file of when it is dropped outside the window: the type, the name and the address, with colons between them. */
export function downloadUrl(url: string, name: string): string {
  return `audio/wav:${name.replaceAll(':', ' ')}:${url}`;
}

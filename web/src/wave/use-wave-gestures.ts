import type { Slice, SyncPoint } from '@flagstone/core/record/marks';
import type { Ref } from 'vue';
import type { Span } from './wave-data.ts';

/** No view is shorter, in frames. */
export const LEAST_FRAMES = 16;
const NEAR_PIXELS = 5;
/** A press that moves less is a click. */
const DRAG_PIXELS = 4;
/** How much of an octave a wheel's step zooms; pinching arrives as a wheel with Ctrl, in smaller steps. */
const ZOOM_PER_STEP = 0.002;
const ZOOM_PER_PINCH = 0.01;

/** What gestures act on; frames are those of the sound. */
export interface WaveSurface {
  frames: () => number;
  /** The play line. */
  position: () => number;
  view: Ref<Span>;
  /** The marked part. */
  part: Ref<Span | undefined>;
  slices: () => readonly Slice[];
  syncPoints: () => readonly SyncPoint[];
  /** Slices and sync points can be moved. */
  editable: () => boolean;
  /** Where the waveform lies on the screen, in pixels. */
  bounds: () => { left: number; width: number };
}

/** What gestures ask for beside moving the view and the marked part. */
export interface WaveGestureEvents {
  seek: (frame: number) => void;
  chooseSlice: (index: number) => void;
  moveSlice: (index: number, span: Span) => void;
  moveSyncPoint: (index: number, at: number) => void;
}

type Press = Pick<PointerEvent, 'button' | 'clientX' | 'shiftKey'>;
type Turn = Pick<WheelEvent, 'deltaX' | 'deltaY' | 'shiftKey' | 'ctrlKey' | 'clientX'>;

/** What a press takes hold of. */
type Hold =
  | { what: 'line' }
  | { what: 'part'; anchor: number }
  | { what: 'edge'; slice: number; edge: 'from' | 'to' }
  | { what: 'point'; point: number };

/**
 * Gestures on a waveform: a click plays from there, a drag marks a part or moves what was taken hold of (the play line, an end of the part, of a slice, a sync point), a
 * wheel or pinch zooms around the pointer, with Shift or sideways it moves along.
 */
export function useWaveGestures(surface: WaveSurface, events: WaveGestureEvents) {
  const { view, part } = surface;
  let hold: (Hold & { startX: number; moved: boolean }) | undefined;

  function frameAt(clientX: number): number {
    const { left, width } = surface.bounds();
    const share = Math.max(0, Math.min(1, (clientX - left) / Math.max(1, width)));
    return Math.max(0, Math.min(surface.frames(), view.value.from + share * (view.value.to - view.value.from)));
  }

  function holdAt({ clientX, shiftKey }: Press): Hold {
    const frame = frameAt(clientX);
    const framesPerPixel = (view.value.to - view.value.from) / Math.max(1, surface.bounds().width);
    const near = (at: number): boolean => Math.abs(at - frame) < NEAR_PIXELS * framesPerPixel;
    if (near(surface.position())) return { what: 'line' };
    if (surface.editable()) {
      const point = surface.syncPoints().findIndex(({ at }) => near(at));
      if (point >= 0) return { what: 'point', point };
      for (const [slice, { from, to }] of surface.slices().entries()) {
        if (near(from)) return { what: 'edge', slice, edge: 'from' };
        if (near(to)) return { what: 'edge', slice, edge: 'to' };
      }
    }
    // A press near an end of the marked part moves that end.
    const marked = part.value;
    if (marked && near(marked.from)) return { what: 'part', anchor: marked.to };
    if (marked && near(marked.to)) return { what: 'part', anchor: marked.from };
    return { what: 'part', anchor: shiftKey && marked ? marked.from : frame };
  }

  /** False for a button that means something else. */
  function press(event: Press): boolean {
    if (event.button !== 0) return false;
    hold = { ...holdAt(event), startX: event.clientX, moved: event.shiftKey };
    if (event.shiftKey) drag(event);
    return true;
  }

  function drag({ clientX }: Pick<Press, 'clientX'>): void {
    if (!hold || (!hold.moved && Math.abs(clientX - hold.startX) < DRAG_PIXELS)) return;
    hold.moved = true;
    const frame = Math.round(frameAt(clientX));
    if (hold.what === 'line') events.seek(frame);
    else if (hold.what === 'part')
      part.value = { from: Math.round(Math.min(hold.anchor, frame)), to: Math.round(Math.max(hold.anchor, frame)) };
    else if (hold.what === 'point') events.moveSyncPoint(hold.point, frame);
    else {
      const slice = surface.slices()[hold.slice];
      if (slice) events.moveSlice(hold.slice, { from: slice.from, to: slice.to, [hold.edge]: frame });
    }
  }

  function release({ clientX }: Pick<Press, 'clientX'>): void {
    const held = hold;
    hold = undefined;
    if (!held) return;
    if (held.moved) {
      if (held.what === 'part' && part.value && part.value.to - part.value.from < 2) part.value = undefined;
      return;
    }
    const frame = frameAt(clientX);
    const within = surface.slices().findIndex(({ from, to }) => frame >= from && frame < to);
    if (within >= 0 && surface.editable()) events.chooseSlice(within);
    events.seek(frame);
  }

  function cancel(): void {
    hold = undefined;
  }

  /** A view within the sound, no shorter than a few samples. */
  function bounded(from: number, span: number): Span {
    const length = Math.max(LEAST_FRAMES, Math.min(surface.frames(), span));
    const start = Math.max(0, Math.min(surface.frames() - length, from));
    return { from: start, to: start + length };
  }

  /** Zooms by a factor around a frame: below 1 closer. */
  function zoom(factor: number, around = surface.position()): void {
    const { from, to } = view.value;
    const middle = around < from || around > to ? (from + to) / 2 : around;
    const span = Math.max(LEAST_FRAMES, Math.min(surface.frames(), (to - from) * factor));
    const share = (middle - from) / (to - from);
    view.value = bounded(middle - share * span, span);
  }

  /** Moves the view along by a share of what it shows. */
  function pan(share: number): void {
    const span = view.value.to - view.value.from;
    view.value = bounded(view.value.from + share * span, span);
  }

  function wheel({ deltaX, deltaY, shiftKey, ctrlKey, clientX }: Turn): void {
    const isSideways = Math.abs(deltaX) > Math.abs(deltaY) || shiftKey;
    if (isSideways) pan((deltaX || deltaY) / Math.max(1, surface.bounds().width));
    else zoom(Math.exp(deltaY * (ctrlKey ? ZOOM_PER_PINCH : ZOOM_PER_STEP)), frameAt(clientX));
  }

  function fit(): void {
    view.value = { from: 0, to: Math.max(LEAST_FRAMES, surface.frames()) };
  }

  function zoomToPart(): void {
    const marked = part.value;
    if (marked) view.value = bounded(marked.from, marked.to - marked.from);
  }

  return { press, drag, release, cancel, wheel, zoom, pan, fit, zoomToPart };
}

import { beforeEach, describe, expect, it } from '@jest/globals';
import type { Slice, SyncPoint } from '@flagstone/core/record/marks';
import { ref } from 'vue';
import { LEAST_FRAMES, useWaveGestures } from './use-wave-gestures.ts';
import type { Span } from './wave-data.ts';

const FRAMES = 100_000;
/** 1000 pixels from 100 on: a pixel is 100 frames of the whole sound. */
const bounds = { left: 100, width: 1000 };
const view = ref<Span>({ from: 0, to: FRAMES });
const part = ref<Span>();
let position = 0;
let slices: Slice[] = [];
let syncPoints: SyncPoint[] = [];
let editable = false;
let heard: unknown[][] = [];

const gestures = useWaveGestures(
  {
    view,
    part,
    frames: () => FRAMES,
    position: () => position,
    slices: () => slices,
    syncPoints: () => syncPoints,
    editable: () => editable,
    bounds: () => bounds,
  },
  {
    seek: (frame) => heard.push(['seek', frame]),
    chooseSlice: (index) => heard.push(['choose', index]),
    moveSlice: (index, span) => heard.push(['slice', index, span]),
    moveSyncPoint: (index, at) => heard.push(['point', index, at]),
  },
);
const pixelOf = (frame: number): number =>
  bounds.left + ((frame - view.value.from) / (view.value.to - view.value.from)) * bounds.width;
const press = (frame: number, shiftKey = false, button = 0): boolean =>
  gestures.press({ clientX: pixelOf(frame), shiftKey, button });
const drag = (frame: number): void => gestures.drag({ clientX: pixelOf(frame) });
const release = (frame: number): void => gestures.release({ clientX: pixelOf(frame) });

beforeEach(() => {
  gestures.cancel();
  view.value = { from: 0, to: FRAMES };
  part.value = undefined;
  [position, slices, syncPoints, editable, heard] = [0, [], [], false, []];
});

describe('a press on a waveform', () => {
  it('plays from there when it is let go where it was', () => {
    press(50_000);
    drag(50_200);
    release(50_200);
    expect([heard, part.value]).toEqual([[['seek', 50_200]], undefined]);
  });

  it('marks a part, in whichever direction it is dragged', () => {
    press(50_000);
    drag(20_000);
    release(20_000);
    expect([part.value, heard]).toEqual([{ from: 20_000, to: 50_000 }, []]);
  });

  it('moves the nearer end of the marked part, and widens it with Shift', () => {
    part.value = { from: 20_000, to: 50_000 };
    press(50_300);
    drag(60_000);
    release(60_000);
    expect(part.value).toEqual({ from: 20_000, to: 60_000 });
    press(80_000, true);
    release(80_000);
    expect(part.value).toEqual({ from: 20_000, to: 80_000 });
  });

  it('marks nothing when its two ends meet', () => {
    press(50_000);
    drag(60_000);
    drag(50_001);
    release(50_001);
    expect(part.value).toBeUndefined();
  });

  it('takes hold of the play line before anything else', () => {
    position = 50_000;
    part.value = { from: 50_000, to: 70_000 };
    press(50_400);
    drag(55_000);
    release(55_000);
    expect([heard, part.value?.from]).toEqual([[['seek', 55_000]], 50_000]);
  });

  it('takes hold of five pixels around, however far the view is zoomed in', () => {
    position = 50_000;
    view.value = { from: 49_500, to: 50_500 };
    press(50_006);
    drag(50_100);
    expect(part.value).toEqual({ from: 50_006, to: 50_100 });
    gestures.cancel();
    press(50_004);
    drag(50_200);
    expect(heard).toEqual([['seek', 50_200]]);
  });

  it('of another button, and a move without a press, do nothing', () => {
    expect(press(50_000, false, 2)).toBe(false);
    drag(60_000);
    release(60_000);
    gestures.cancel();
    expect([heard, part.value]).toEqual([[], undefined]);
  });

  it('stays within the sound when the pointer leaves it', () => {
    press(90_000);
    gestures.drag({ clientX: 5000 });
    expect(part.value).toEqual({ from: 90_000, to: FRAMES });
    gestures.drag({ clientX: -5000 });
    expect(part.value).toEqual({ from: 0, to: 90_000 });
  });
});

describe('slices and sync points', () => {
  beforeEach(() => {
    slices = [
      { from: 10_000, to: 30_000, name: '' },
      { from: 30_000, to: 40_000, name: '' },
    ] as Slice[];
    syncPoints = [{ at: 20_000, name: '' }] as SyncPoint[];
  });

  it('move by their ends where they can be edited', () => {
    editable = true;
    press(10_100);
    drag(12_000);
    release(12_000);
    press(20_100);
    drag(21_000);
    release(21_000);
    expect(heard).toEqual([
      ['slice', 0, { from: 12_000, to: 30_000 }],
      ['point', 0, 21_000],
    ]);
  });

  it('are chosen by a click, which plays too', () => {
    editable = true;
    press(35_000);
    release(35_000);
    expect(heard).toEqual([
      ['choose', 1],
      ['seek', 35_000],
    ]);
  });

  it('stay where they are while they cannot be edited', () => {
    press(10_100);
    drag(12_000);
    release(12_000);
    expect(heard).toEqual([]);
    expect(part.value).toEqual({ from: 10_100, to: 12_000 });
  });
});

describe('the view', () => {
  it('zooms around the pointer, which stays over the same frame', () => {
    gestures.wheel({ deltaX: 0, deltaY: -300, shiftKey: false, ctrlKey: false, clientX: pixelOf(25_000) });
    expect(view.value.to - view.value.from).toBeLessThan(FRAMES);
    expect(pixelOf(25_000)).toBeCloseTo(bounds.left + 250);
  });

  it('zooms around the play line by key, or around its middle when that is out of sight', () => {
    view.value = { from: 40_000, to: 60_000 };
    gestures.zoom(0.5);
    expect(view.value).toEqual({ from: 45_000, to: 55_000 });
    position = 46_000;
    gestures.zoom(0.5);
    expect(view.value).toEqual({ from: 45_500, to: 50_500 });
  });

  it('never shows less than a few frames, nor more than the sound', () => {
    gestures.zoom(1e-9, 50_000);
    expect(view.value.to - view.value.from).toBe(LEAST_FRAMES);
    gestures.zoom(1e9);
    expect(view.value).toEqual({ from: 0, to: FRAMES });
  });

  it('moves along and stops at the ends', () => {
    view.value = { from: 40_000, to: 50_000 };
    gestures.pan(0.5);
    expect(view.value).toEqual({ from: 45_000, to: 55_000 });
    gestures.wheel({ deltaX: 0, deltaY: 1e6, shiftKey: true, ctrlKey: false, clientX: 0 });
    expect(view.value).toEqual({ from: 90_000, to: FRAMES });
    gestures.pan(-1000);
    expect(view.value).toEqual({ from: 0, to: 10_000 });
  });

  it('shows the marked part, and all again', () => {
    gestures.zoomToPart();
    expect(view.value).toEqual({ from: 0, to: FRAMES });
    part.value = { from: 10_000, to: 12_000 };
    gestures.zoomToPart();
    expect(view.value).toEqual({ from: 10_000, to: 12_000 });
    gestures.fit();
    expect(view.value).toEqual({ from: 0, to: FRAMES });
  });
});

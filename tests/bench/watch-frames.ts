/** Run in the page: notes the time between two frames, ms. As text, since what compiles this file adds helpers that the page does not have. */
export const WATCH_FRAMES = `{
  const noted = (globalThis.noted = { frames: [], stop: false });
  let last = performance.now();
  const next = (now) => {
    noted.frames.push(now - last);
    last = now;
    if (!noted.stop) requestAnimationFrame(next);
  };
  requestAnimationFrame(next);
}`;
/** Ends it and gives the times between frames, the shortest first. */
export const FRAMES = 'noted.stop = true; noted.frames.slice(1).sort((a, b) => a - b)';

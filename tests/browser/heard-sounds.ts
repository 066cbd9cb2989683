/**
 * Run in a page before anything else: notes each key with its time, and of each sound when it really began, which is when its clock has moved. As text,
 * since what compiles this file adds helpers that the page does not have.
 */
export const WATCH_SOUNDS = `{
  const heard = (globalThis.heard = { key: 0, begun: [] });
  addEventListener('keydown', () => (heard.key = performance.now()), true);
  const play = HTMLMediaElement.prototype.play;
  HTMLMediaElement.prototype.play = function () {
    const element = this;
    const { key } = heard;
    const start = element.currentTime;
    const source = element.src;
    const look = () => {
      if (element.src !== source) return;
      // One that has ended has begun: a page that is kept waiting may look only then.
      if (element.currentTime > start && (!element.paused || element.ended))
        heard.begun.push({ source, ms: performance.now() - key });
      else if (!element.ended) setTimeout(look, 2);
    };
    setTimeout(look, 0);
    return play.call(element);
  };
}`;

/** A sound that began: where it came from, and how long after the key. */
export interface BegunSound {
  source: string;
  ms: number;
}

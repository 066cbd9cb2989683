import { renderTryOut, type SampledSound, type TryOut } from '@flagstone/core/audio/try-out/try-out';

/** A sound to work with, or a wish to hear it with some steps; wishes are answered with their number. */
export type TryOutMessage = { kind: 'sound'; sound: SampledSound } | { kind: 'render'; number: number; tryOut: TryOut };
export interface TryOutAnswer {
  number: number;
  planar: Float32Array<ArrayBuffer>[];
  sampleRateHz: number;
}

let sound: SampledSound | undefined;

self.onmessage = ({ data }: MessageEvent<TryOutMessage>) => {
  if (data.kind === 'sound') {
    sound = data.sound;
    return;
  }
  if (!sound) return;
  const { planar, sampleRateHz } = renderTryOut(sound, data.tryOut);
  const answer: TryOutAnswer = { number: data.number, planar: planar as Float32Array<ArrayBuffer>[], sampleRateHz };
  self.postMessage(answer, { transfer: answer.planar.map((samples) => samples.buffer) });
};

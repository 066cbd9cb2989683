import { encodePcm } from '@flagstone/core/audio/encode-pcm';
import { heardPart } from '@flagstone/core/audio/heard-part';
import { newWavParts } from '@flagstone/core/formats/wav/new-wav';
import { onBeforeUnmount, ref } from 'vue';

/** What is recorded by a microphone to compare with is short. */
const LONGEST_MS = 30_000;

/**
 * Records from the microphone, up to half a minute, and hands over a WAV file of what was heard, without the silence around it. Nothing is recorded but between
 * `start` and `stop`.
 */
export function useRecording(take: (wav: Blob) => void) {
  const isRecording = ref(false);
  const fault = ref('');
  let recorder: MediaRecorder | undefined;
  let stream: MediaStream | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;

  async function start(): Promise<void> {
    fault.value = '';
    try {
      // As it is: what a telephone does to voices would change the sound.
      const audio = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };
      stream = await navigator.mediaDevices.getUserMedia({ audio });
    } catch (error) {
      const isRefused = error instanceof DOMException && error.name === 'NotAllowedError';
      fault.value = isRefused
        ? 'The browser may not use the microphone: allow it for this page, then record again.'
        : 'There is no microphone that the browser can use.';
      return;
    }
    const pieces: Blob[] = [];
    recorder = new MediaRecorder(stream);
    recorder.ondataavailable = ({ data }) => pieces.push(data);
    recorder.onstop = () => {
      release();
      void toWav(new Blob(pieces)).then(
        take,
        () => (fault.value = 'Nothing was recorded. Record again, a little longer.'),
      );
    };
    recorder.start();
    isRecording.value = true;
    timer = setTimeout(stop, LONGEST_MS);
  }

  function stop(): void {
    if (recorder?.state === 'recording') recorder.stop();
  }

  function release(): void {
    clearTimeout(timer);
    stream?.getTracks().forEach((track) => track.stop());
    isRecording.value = false;
  }

  onBeforeUnmount(() => {
    if (recorder) recorder.onstop = null;
    stop();
    release();
  });
  return { isRecording, fault, start, stop };
}

/** What was recorded, decoded by the browser, as 32-bit floats. */
async function toWav(recorded: Blob): Promise<Blob> {
  const context = new AudioContext();
  try {
    const audio = await context.decodeAudioData(await recorded.arrayBuffer());
    const { sampleRate: sampleRateHz, numberOfChannels: channels } = audio;
    const whole = Array.from({ length: channels }, (_, channel) => audio.getChannelData(channel));
    const { from, to } = heardPart(whole, sampleRateHz);
    const planar = whole.map((samples) => samples.subarray(from, to));
    const format = { sampleFormat: 'float' as const, bitDepth: 32 };
    const { head, tail } = newWavParts({ ...format, channels, sampleRateHz, frames: to - from });
    return new Blob([head, encodePcm(planar, format), tail], { type: 'audio/wav' });
  } finally {
    await context.close();
  }
}

import { kWeighting } from '@flagstone/core/audio/measure/k-weighting';

/** What stands on the loudspeakers: levels of the sound's own channels in dBFS, and how loud it is now, LUFS; null where nothing is heard. */
export interface MeterReading {
  peaksDbfs: (number | null)[];
  momentaryLufs: number | null;
}

/** Changes of level take this long, so that none clicks. */
const SMOOTH_SECONDS = 0.015;
const PEAK_SAMPLES = 2048;
/** Long enough for 400 ms at 48 kHz; the meter of higher rates looks at less. */
const LOUDNESS_SAMPLES = 32_768;
const MOMENTARY_SECONDS = 0.4;

interface Chain {
  channels: number;
  splitter: ChannelSplitterNode;
  peaks: AnalyserNode[];
  gains: GainNode[][];
  merger: ChannelMergerNode;
}

/**
 * What turns media elements and buffers into sound: channels are chosen by a matrix of gains, then a gain that makes sounds equally loud, then
 * the listening level. Taken up when something is to be heard for the first time: browsers allow no sound before that.
 */
export class SoundEngine {
  readonly context = new AudioContext({ latencyHint: 'interactive' });
  private readonly evened: GainNode;
  private readonly level: GainNode;
  private readonly weighted: AnalyserNode[];
  private readonly sources = new Map<HTMLMediaElement, MediaElementAudioSourceNode>();
  private chain: Chain | undefined;
  private source: AudioNode | undefined;
  private readonly samples = new Float32Array(LOUDNESS_SAMPLES);

  constructor() {
    const { context } = this;
    this.evened = context.createGain();
    this.level = context.createGain();
    this.evened.connect(this.level).connect(context.destination);
    const { shelf, highPass } = kWeighting(context.sampleRate);
    const filters = [shelf, highPass].map(({ b0, b1, b2, a1, a2 }) =>
      context.createIIRFilter([b0, b1, b2], [1, a1, a2]),
    );
    const pair = context.createChannelSplitter(2);
    filters.reduce<AudioNode>((before, filter) => before.connect(filter), this.evened).connect(pair);
    this.weighted = [0, 1].map((side) => {
      const analyser = context.createAnalyser();
      analyser.fftSize = LOUDNESS_SAMPLES;
      pair.connect(analyser, side);
      return analyser;
    });
  }

  /** Makes an element the one that is heard; it has to be given a sound first. */
  hear(element: HTMLMediaElement, channels: number): void {
    const known = this.sources.get(element) ?? this.context.createMediaElementSource(element);
    this.sources.set(element, known);
    this.connect(known, channels);
  }

  /** Plays samples from a moment on, in seconds; whoever is heard gives way. */
  hearBuffer(
    planar: readonly Float32Array<ArrayBuffer>[],
    sampleRateHz: number,
    fromSeconds: number,
  ): AudioBufferSourceNode {
    const buffer = this.context.createBuffer(planar.length, Math.max(1, planar[0]?.length ?? 1), sampleRateHz);
    planar.forEach((samples, channel) => buffer.copyToChannel(samples, channel));
    const node = new AudioBufferSourceNode(this.context, { buffer });
    this.connect(node, planar.length);
    node.start(0, fromSeconds);
    return node;
  }

  private connect(source: AudioNode, channels: number): void {
    this.source?.disconnect();
    this.source = source;
    if (this.chain?.channels !== channels) {
      this.chain?.merger.disconnect();
      this.chain?.splitter.disconnect();
      this.chain = this.chainOf(channels);
    }
    source.connect(this.chain.splitter);
  }

  private chainOf(channels: number): Chain {
    const { context } = this;
    const splitter = context.createChannelSplitter(channels);
    splitter.channelInterpretation = 'discrete';
    const merger = context.createChannelMerger(2);
    merger.connect(this.evened);
    const peaks: AnalyserNode[] = [];
    const gains: GainNode[][] = [];
    for (let channel = 0; channel < channels; channel += 1) {
      const analyser = context.createAnalyser();
      analyser.fftSize = PEAK_SAMPLES;
      splitter.connect(analyser, channel);
      peaks.push(analyser);
      gains.push(
        [0, 1].map((side) => {
          const gain = context.createGain();
          splitter.connect(gain, channel);
          gain.connect(merger, 0, side);
          return gain;
        }),
      );
    }
    return { channels, splitter, peaks, gains, merger };
  }

  /** Gains from each channel into the left and right output. */
  setMatrix([left, right]: [number[], number[]]): void {
    this.chain?.gains.forEach(([toLeft, toRight], channel) => {
      this.glide(toLeft, left[channel] ?? 0);
      this.glide(toRight, right[channel] ?? 0);
    });
  }

  setEvenGain(gain: number): void {
    this.glide(this.evened, gain);
  }

  setLevel(level: number): void {
    this.glide(this.level, level);
  }

  private glide(node: GainNode | undefined, value: number): void {
    node?.gain.setTargetAtTime(value, this.context.currentTime, SMOOTH_SECONDS);
  }

  /** Sends everything to another output; '' is the usual one. */
  async setOutput(deviceId: string): Promise<void> {
    await (this.context as AudioContext & { setSinkId?: (id: string) => Promise<void> }).setSinkId?.(deviceId);
  }

  read(): MeterReading {
    const peaksDbfs = (this.chain?.peaks ?? []).map((analyser) => {
      const part = this.samples.subarray(0, PEAK_SAMPLES);
      analyser.getFloatTimeDomainData(part);
      const peak = part.reduce((most, value) => Math.max(most, Math.abs(value)), 0);
      return peak > 0 ? 20 * Math.log10(peak) : null;
    });
    const count = Math.min(LOUDNESS_SAMPLES, Math.round(MOMENTARY_SECONDS * this.context.sampleRate));
    let power = 0;
    for (const analyser of this.weighted) {
      analyser.getFloatTimeDomainData(this.samples);
      for (let at = LOUDNESS_SAMPLES - count; at < LOUDNESS_SAMPLES; at += 1)
        power += (this.samples[at] as number) ** 2 / count;
    }
    return { peaksDbfs, momentaryLufs: power > 1e-9 ? -0.691 + 10 * Math.log10(power) : null };
  }
}

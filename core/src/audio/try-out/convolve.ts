import FFT from 'fft.js';

/**
 * The linear convolution of samples with an impulse response, as long as both together less one; by fast transforms, block by block
 * (overlap-add; Press et al., “Numerical Recipes”, §13.1).
 */
export function convolve(samples: Float32Array, impulse: Float32Array): Float32Array {
  if (samples.length === 0 || impulse.length === 0) return new Float32Array(0);
  const result = new Float32Array(samples.length + impulse.length - 1);
  let size = 1024;
  while (size < 2 * impulse.length) size *= 2;
  const step = size - impulse.length + 1;
  const fft = new FFT(size);
  const [response, block, spectrum, back] = Array.from({ length: 4 }, () => new Float64Array(size * 2)) as [
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
  ];
  impulse.forEach((value, index) => (block[2 * index] = value));
  fft.transform(response, block);
  for (let from = 0; from < samples.length; from += step) {
    const count = Math.min(step, samples.length - from);
    block.fill(0);
    for (let index = 0; index < count; index += 1) block[2 * index] = samples[from + index] as number;
    fft.transform(spectrum, block);
    for (let at = 0; at < size * 2; at += 2) {
      const [re, im] = [spectrum[at] as number, spectrum[at + 1] as number];
      const [responseRe, responseIm] = [response[at] as number, response[at + 1] as number];
      spectrum[at] = re * responseRe - im * responseIm;
      spectrum[at + 1] = re * responseIm + im * responseRe;
    }
    fft.inverseTransform(back, spectrum);
    const end = Math.min(count + impulse.length - 1, result.length - from);
    for (let index = 0; index < end; index += 1)
      result[from + index] = (result[from + index] as number) + (back[2 * index] as number);
  }
  return result;
}

/** Below this, a block counts as silence (BS.1770-4: the absolute gate). */
const ABSOLUTE_GATE_LUFS = -70;
/** BS.1770-4 §5.1 and EBU Tech 3342: gates below the mean of what passes the absolute gate. */
const RELATIVE_GATE_LU = -10;
const RANGE_GATE_LU = -20;
/** EBU Tech 3342: the range lies between these shares of the gated short-term loudness. */
const RANGE_LOW = 0.1;
const RANGE_HIGH = 0.95;

/** Weighted mean square as loudness in LUFS (BS.1770-4 equation 2); null for digital silence. */
export function loudnessOf(meanSquare: number): number | null {
  return meanSquare > 0 ? -0.691 + 10 * Math.log10(meanSquare) : null;
}

const energyOf = (lufs: number): number => 10 ** ((lufs + 0.691) / 10);

function mean(values: Float64Array): number {
  return values.reduce((sum, each) => sum + each, 0) / values.length;
}

/** Blocks above the absolute gate and above the gate that lies `relativeLu` below their mean. */
function gated(blocks: Float64Array, relativeLu: number): Float64Array {
  const audible = blocks.filter((each) => each > energyOf(ABSOLUTE_GATE_LUFS));
  if (audible.length === 0) return audible;
  const threshold = mean(audible) * 10 ** (relativeLu / 10);
  return audible.filter((each) => each > threshold);
}

/** Integrated loudness in LUFS of blocks of 400 ms given by their weighted mean squares; null when none passes the gates. */
export function integratedLoudness(blocks: Float64Array): number | null {
  const loud = gated(blocks, RELATIVE_GATE_LU);
  return loud.length === 0 ? null : loudnessOf(mean(loud));
}

/** Loudness range in LU (EBU Tech 3342) of windows of 3 s, ten a second; null when none passes the gates. */
export function loudnessRange(windows: Float64Array): number | null {
  const loud = gated(windows, RANGE_GATE_LU).sort();
  if (loud.length === 0) return null;
  const at = (share: number): number => loud[Math.round((loud.length - 1) * share)] as number;
  return 10 * Math.log10(at(RANGE_HIGH) / at(RANGE_LOW));
}

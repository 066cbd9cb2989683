/** A curve of loudness is kept in a byte a value: half LU steps from here up, 0 where nothing is heard. */
const LOWEST_LUFS = -100;
const STEPS_A_LU = 2;

export function loudnessBytes(curve: Float32Array): Uint8Array {
  return Uint8Array.from(curve, (lufs) =>
    lufs <= LOWEST_LUFS ? 0 : Math.max(1, Math.min(255, Math.round((lufs - LOWEST_LUFS) * STEPS_A_LU))),
  );
}

/** The loudness that a byte stands for, LUFS; null where nothing is heard. */
export function loudnessOfByte(byte: number): number | null {
  return byte === 0 ? null : LOWEST_LUFS + byte / STEPS_A_LU;
}

/** Bands in which lengths (seconds) and loudness (LUFS) are counted, wherever they are, by the edges between them; an edge belongs to the band that it begins. */
export const LENGTH_EDGES_SECONDS: readonly number[] = [1, 3, 10, 30, 60, 300];
export const LOUDNESS_EDGES_LUFS: readonly number[] = [-50, -40, -30, -25, -20, -15, -10];

export interface ValueBand {
  /** Undefined where the band is open. */
  from: number | undefined;
  to: number | undefined;
}

/** The bands between edges, open at both ends. */
export function bandsBetween(edges: readonly number[]): ValueBand[] {
  return [undefined, ...edges].map((from, at) => ({ from, to: edges[at] }));
}

/** A band as the search line has it: `<1`, `1..3`, `>=300`. */
export function bandTerm({ from, to }: ValueBand): string {
  if (from === undefined) return `<${to}`;
  return to === undefined ? `>=${from}` : `${from}..${to}`;
}

/** A band in words: `below 1 s`, `1 to 3 s`, `from 300 s`. */
export function bandInWords({ from, to }: ValueBand, unit: string): string {
  const text = (value: number | undefined): string => String(value).replace('-', '−');
  if (from === undefined) return `below ${text(to)} ${unit}`;
  return to === undefined ? `from ${text(from)} ${unit}` : `${text(from)} to ${text(to)} ${unit}`;
}

/** A band in signs, where there is little room: `< 1 s`, `1 to 3 s`, `≥ 300 s`. */
export function bandInSigns(band: ValueBand, unit: string): string {
  return bandInWords(band, unit)
    .replace(/^below/, '<')
    .replace(/^from/, '≥');
}

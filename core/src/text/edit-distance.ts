/**
 * How many letters have to be put in, left out, changed, or exchanged with their neighbour to make one word of another (optimal string alignment,
 * a restriction of Damerau's distance). Stops at `most` and gives `most + 1` for whatever is further away.
 */
export function editDistance(one: string, other: string, most = 3): number {
  if (Math.abs(one.length - other.length) > most) return most + 1;
  let before: number[] = [];
  let above = Array.from({ length: other.length + 1 }, (_, at) => at);
  for (let i = 1; i <= one.length; i += 1) {
    const row = [i];
    for (let j = 1; j <= other.length; j += 1) {
      const same = one[i - 1] === other[j - 1] ? 0 : 1;
      const swapped = i > 1 && j > 1 && one[i - 1] === other[j - 2] && one[i - 2] === other[j - 1];
      row[j] = Math.min(
        (above[j] ?? 0) + 1,
        (row[j - 1] ?? 0) + 1,
        (above[j - 1] ?? 0) + same,
        swapped ? (before[j - 2] ?? 0) + 1 : Infinity,
      );
    }
    if (Math.min(...row) > most) return most + 1;
    [before, above] = [above, row];
  }
  return Math.min(above[other.length] ?? 0, most + 1);
}

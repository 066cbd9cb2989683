/** Any value with its numbers, however deep, to four digits behind the point: as far as measures mean something. */
export function rounded<Value>(value: Value): Value {
  const round = (each: unknown): unknown => {
    if (typeof each === 'number') return Number(each.toFixed(4));
    if (Array.isArray(each)) return each.map(round);
    if (typeof each === 'object' && each !== null)
      return Object.fromEntries(Object.entries(each).map(([key, inner]) => [key, round(inner)]));
    return each;
  };
  return round(value) as Value;
}

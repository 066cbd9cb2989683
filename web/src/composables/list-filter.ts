import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import type { LocationQuery } from 'vue-router';

/** The field in the address bar whose places in the files have to disagree; empty when there is none, or none of that name. */
export function disagreesIn(query: LocationQuery): ListFilter['disagrees'] {
  const parsed = filterSchema.shape.disagrees.safeParse(query['disagrees']);
  return parsed.success ? parsed.data : '';
}

import type { RouteLocationNormalizedLoaded } from 'vue-router';

/**
 * What makes a page another page: the place, and of one thing among many (`meta.isPageOf`) also which. Another key makes the page anew, so that nothing of
 * the thing before stays behind, above all not what its buttons act on.
 */
export function pageKey({
  matched,
  meta,
  params,
}: Pick<RouteLocationNormalizedLoaded, 'matched' | 'meta' | 'params'>): string {
  const place = matched[0]?.path ?? '';
  return typeof meta['isPageOf'] === 'string' ? `${place} ${String(params[meta['isPageOf']])}` : place;
}

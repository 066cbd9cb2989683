import { useLocalStorage, useSessionStorage } from '@vueuse/core';

const DAY_MS = 86_400_000;

/**
 * When this browser was last used before this session, ISO 8601; a day ago where nobody knows. It stays the same until the window is
 * closed, so that what is new is new all day.
 */
export function useLastVisit(): string {
  const latest = useLocalStorage('flagstone-latest-visit', '');
  const before = useSessionStorage('flagstone-visit-before', '');
  if (before.value === '') before.value = latest.value || new Date(Date.now() - DAY_MS).toISOString();
  latest.value = new Date().toISOString();
  return before.value;
}

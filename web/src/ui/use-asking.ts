import { onScopeDispose } from 'vue';

/** Gives a signal for what a view asks now, and aborts that of what it asked before; the last one is aborted when the view goes. */
export function useAsking(): () => AbortSignal {
  let asking = new AbortController();
  onScopeDispose(() => asking.abort());
  return () => {
    asking.abort();
    asking = new AbortController();
    return asking.signal;
  };
}

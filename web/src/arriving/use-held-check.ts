import { computed, onScopeDispose, ref } from 'vue';
import type { Server } from '../ui/server.ts';
import type { GatheredFile } from './gathered-files.ts';

/** Sounds whose digests are asked for together. */
const TOGETHER = 50;

/** What tells which sound a file holds. */
export interface QuickDigests {
  of: (file: File, what: 'quick') => Promise<string | null>;
  close: () => void;
}

/**
 * Finds out which files hold sounds that are in the catalogue already, or that another one of them holds too, before anything is sent. `looked` counts up to the number of files; nothing is sent for it
 * but digests.
 */
export function useHeldCheck(server: Server, makeDigests: () => QuickDigests) {
  const looked = ref(0);
  const total = ref(0);
  /** By the path of the file: as what it is held. */
  const held = ref(new Map<string, string>());
  const isDone = computed(() => looked.value === total.value);
  let turn = 0;
  let digests: QuickDigests | undefined;

  async function check(files: readonly GatheredFile[]): Promise<void> {
    stop();
    const own = turn;
    const mine = makeDigests();
    digests = mine;
    looked.value = 0;
    total.value = files.length;
    held.value = new Map();
    const first = new Map<string, string>();
    for (let at = 0; at < files.length; at += TOGETHER) {
      const part = files.slice(at, at + TOGETHER);
      const found = await Promise.all(part.map(({ file }) => mine.of(file, 'quick')));
      if (own !== turn) return;
      const asked = [...new Set(found.filter((digest) => digest !== null))];
      const known = await server.attempt(() => server.call('findHeld', { body: { digests: asked } }));
      if (own !== turn) return;
      const names = new Map((known ?? []).map(({ digest, name }) => [digest, name]));
      for (const [index, digest] of found.entries()) {
        const { path = '' } = part[index] ?? {};
        if (digest === null) continue;
        const name = names.get(digest) ?? first.get(digest);
        if (name === undefined) first.set(digest, path);
        else held.value.set(path, name);
      }
      looked.value += part.length;
    }
    mine.close();
  }

  function stop(): void {
    turn += 1;
    digests?.close();
    digests = undefined;
  }
  onScopeDispose(stop);

  return { looked, total, held, isDone, check, stop };
}

import path from 'node:path';
import type { AppContext } from '../app-context.ts';
import { settleLeftovers } from '../disk/leftovers.ts';
import { makeFolder } from '../disk/make-folder.ts';
import { unknownWrites } from '../drives/known-writes.ts';

/** Makes the folders that files are put into, each once: level by level, and settles what a killed process left there. */
export function folderEntrance(app: AppContext, root: string): (within: string) => Promise<void> {
  const entered = new Map<string, Promise<void>>();
  const look = async (within: string): Promise<void> => {
    if (within !== root) {
      // Each is looked at before the next is made: a link that stands there may lead elsewhere.
      await enter(path.dirname(within));
      await makeFolder(within);
    }
    await app.roots.checkedFolder(within);
    await settleLeftovers(within, unknownWrites(app));
  };
  const enter = (within: string): Promise<void> => {
    const known = entered.get(within) ?? look(within);
    entered.set(within, known);
    return known;
  };
  return enter;
}

import type { Presence } from '@flagstone/contract/presence';

/** The pages that are open, by their numbers, without one's own; made anew from a list, and changed by what is heard. */
export class WhoIsWhere {
  private readonly pages = new Map<string, Presence>();
  private readonly ownPage: string;

  constructor(ownPage: string) {
    this.ownPage = ownPage;
  }

  take(all: readonly Presence[]): void {
    this.pages.clear();
    for (const each of all) this.hear(each, true);
  }

  hear(presence: Presence, isHere: boolean): void {
    if (presence.page === this.ownPage) return;
    if (isHere) this.pages.set(presence.page, presence);
    else this.pages.delete(presence.page);
  }

  /** Who is anywhere, each once. */
  get everybody(): number[] {
    return once([...this.pages.values()]);
  }

  atSound(soundId: number): number[] {
    return once([...this.pages.values()].filter((each) => each.soundId === soundId));
  }

  inBatch(batchId: number): number[] {
    return once([...this.pages.values()].filter((each) => each.batchId === batchId));
  }
}

const once = (all: readonly Presence[]): number[] => [...new Set(all.map(({ personId }) => personId))];

import type { Presence } from '@flagstone/contract/presence';

/**
 * The pages that are open, by their numbers, without one's own; made anew from a list, and changed by what is heard. What is heard while a list is on its way is newer than
 * what it says.
 */
export class WhoIsWhere {
  private readonly pages = new Map<string, Presence>();
  private readonly ownPage: string;
  /** What was heard since each list that is on its way was asked for. */
  private readonly heardSince = new Set<[Presence, boolean][]>();

  constructor(ownPage: string) {
    this.ownPage = ownPage;
  }

  /** A list is asked for. Returns how to take it, or to do without. */
  ask(): (all: readonly Presence[] | undefined) => void {
    const heard: [Presence, boolean][] = [];
    this.heardSince.add(heard);
    return (all) => {
      this.heardSince.delete(heard);
      if (!all) return;
      this.pages.clear();
      for (const each of all) this.note(each, true);
      for (const [presence, isHere] of heard) this.note(presence, isHere);
    };
  }

  hear(presence: Presence, isHere: boolean): void {
    for (const heard of this.heardSince) heard.push([presence, isHere]);
    this.note(presence, isHere);
  }

  private note(presence: Presence, isHere: boolean): void {
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

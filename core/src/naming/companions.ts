import { nameKey, splitExtension, withoutCounter } from './name-blocks.ts';

/**
 * What stands in a folder, for renaming in it: which names are taken, and which files belong to an audio file because they bear its name: `take.txt`
 * or `take.wav.txt` beside `take.wav`.
 */
export class FolderNames {
  private readonly keys = new Set<string>();
  private readonly others = new Map<string, string[]>();
  private readonly audioByBase = new Map<string, number>();
  /** How many names there are with a counter, by the name without it. */
  private readonly counted = new Map<string, number>();

  constructor(names: readonly string[], isAudio: (name: string) => boolean) {
    names.forEach((name) => this.take(name));
    for (const name of names) {
      if (name.startsWith('.')) continue;
      const base = nameKey(splitExtension(name).base);
      if (isAudio(name)) this.audioByBase.set(base, (this.audioByBase.get(base) ?? 0) + 1);
      else if (base !== nameKey(name)) this.others.set(base, [...(this.others.get(base) ?? []), name]);
    }
  }

  /** Whether a name, in any case or Unicode form, stands in the folder. */
  has(name: string): boolean {
    return this.keys.has(nameKey(name));
  }

  hasKey(key: string): boolean {
    return this.keys.has(key);
  }

  /** How far counters went, by the name that was wanted: the next one goes on there, not from 1 again. */
  readonly counters = new Map<string, number>();

  take(name: string): void {
    const key = nameKey(name);
    if (this.keys.has(key)) return;
    this.keys.add(key);
    const plain = withoutCounter(key);
    if (plain !== undefined) this.counted.set(plain, this.countedAs(plain) + 1);
  }

  /** How many names are a name with a counter, as freeName gives it. */
  countedAs(name: string): number {
    return this.counted.get(nameKey(name)) ?? 0;
  }

  /** The files that bear an audio file's name; one that two audio files share belongs to neither. */
  companionsOf(name: string): string[] {
    const { base } = splitExtension(name);
    const shared = (this.audioByBase.get(nameKey(base)) ?? 0) > 1;
    return [...(shared ? [] : (this.others.get(nameKey(base)) ?? [])), ...(this.others.get(nameKey(name)) ?? [])];
  }
}

/** The name that a file takes when the audio file whose name it bears takes another. */
export function companionName(companion: string, from: string, to: string): string {
  const { base, extension } = splitExtension(companion);
  return (nameKey(base) === nameKey(from) ? to : splitExtension(to).base) + extension;
}

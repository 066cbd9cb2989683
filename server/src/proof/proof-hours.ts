import type { ProofTimes } from '@flagstone/contract/proof';

/** Whether a moment lies within the hours in which a drive is proved, by the clock of this machine; over midnight where the first hour is the later one. */
export function isWithinHours({ fromHour, toHour }: Pick<ProofTimes, 'fromHour' | 'toHour'>, now: Date): boolean {
  const hour = now.getHours();
  if (fromHour === toHour) return true;
  return fromHour < toHour ? hour >= fromHour && hour < toHour : hour >= fromHour || hour < toHour;
}

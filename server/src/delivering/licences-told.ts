import type { LicenceTold } from '@flagstone/contract/copy-out';
import type { PullEntry } from '@flagstone/contract/pull-lists';
import { restrictionsOf } from '@flagstone/core/licences/terms';
import type { Queryable } from '../db/connect.ts';
import { knownTerms, type LicenceOf } from '../describing/licences.ts';

/** More are listed by a delivery, which is held to them. */
const MOST_TOLD = 20;

/** What licences that so many sounds say forbid or ask for, those of most sounds first; an empty name for sounds of which none is known. Licences that ask for nothing are left out. */
export async function licencesTold(
  db: Queryable,
  said: readonly (LicenceOf & { sounds: number })[],
): Promise<LicenceTold[]> {
  const termsOf = await knownTerms(db);
  const today = new Date().toISOString().slice(0, 10);
  const told = said.flatMap(({ sounds, ...record }) => {
    const licence = record.licence === '' ? record.licenceUrl : record.licence;
    const terms = licence === '' ? undefined : termsOf(record);
    const says = terms ? restrictionsOf(terms, today) : [];
    return licence === '' || says.length > 0 ? [{ licence, sounds, says }] : [];
  });
  return told.sort((a, b) => b.sounds - a.sounds).slice(0, MOST_TOLD);
}

/** The same of the sounds of some entries, each once. */
export function licencesOfEntries(db: Queryable, entries: readonly PullEntry[]): Promise<LicenceTold[]> {
  const said = new Map<string, LicenceOf & { sounds: number }>();
  for (const { record } of new Map(entries.map(({ row }) => [row.soundId, row])).values()) {
    const { licence, licenceUrl } = record;
    const key = licence === '' ? licenceUrl : licence.toLowerCase();
    said.set(key, { licence, licenceUrl, sounds: (said.get(key)?.sounds ?? 0) + 1 });
  }
  return licencesTold(db, [...said.values()]);
}

import { isAtLeast, type Role } from '@flagstone/contract/roles';

/** What somebody may do: their role in each collection in which they have one. An administrator may do everything in all of them. */
export interface Rights {
  isAdministrator: boolean;
  roles: ReadonlyMap<number, Role>;
}

/** Collections, by their numbers in ascending order, or all of them, with what belongs to none. */
export type Sight = 'all' | readonly number[];

/** The collections in which somebody has a role or more. */
export function sightAs({ isAdministrator, roles }: Rights, role: Role): Sight {
  if (isAdministrator) return 'all';
  return [...roles]
    .filter(([, own]) => isAtLeast(own, role))
    .map(([collectionId]) => collectionId)
    .sort((a, b) => a - b);
}

/** The collections that somebody sees. */
export const sightOf = (rights: Rights): Sight => sightAs(rights, 'listener');

export const sees = (sight: Sight, collectionId: number): boolean => sight === 'all' || sight.includes(collectionId);

/** The same words for the same sight, for what is kept by it. */
export const keyOf = (sight: Sight): string => (sight === 'all' ? sight : sight.join());

/** Rights with no more than a role in any collection; an administrator keeps being one only for `administrator`. */
export function atMost(
  { isAdministrator, roles }: Rights,
  most: Role | 'administrator',
  all: readonly number[],
): Rights {
  if (most === 'administrator') return { isAdministrator, roles };
  if (isAdministrator) return { isAdministrator: false, roles: new Map(all.map((id) => [id, most])) };
  const less = [...roles].map(([id, role]): [number, Role] => [id, isAtLeast(role, most) ? most : role]);
  return { isAdministrator: false, roles: new Map(less) };
}

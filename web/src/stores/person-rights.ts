import type { SignedIn } from '@flagstone/contract/people';
import { isAtLeast, ROLES, type Role } from '@flagstone/contract/roles';

/** What somebody may do: nothing while nobody is signed in. */
export function rightsOf(person: Pick<SignedIn, 'isAdministrator' | 'roles'> | undefined) {
  const isAdministrator = person?.isAdministrator === true;
  const roles = new Map(person?.roles.map((each) => [each.collectionId, each.role]));
  /** The most that they are in any collection. */
  const best = ROLES.findLast((role) => [...roles.values()].includes(role));

  /** Whether they have a role, or more, in some collection. */
  const may = (role: Role): boolean => isAdministrator || (best !== undefined && isAtLeast(best, role));

  /** The same in the collection of a copy; a copy in none is an administrator's. */
  function mayIn(role: Role, collectionId: number | null): boolean {
    if (isAdministrator) return true;
    const own = collectionId === null ? undefined : roles.get(collectionId);
    return own !== undefined && isAtLeast(own, role);
  }

  /** The same in all of these collections. */
  const mayInAll = (role: Role, collectionIds: readonly number[]): boolean =>
    collectionIds.every((id) => mayIn(role, id));

  return { isAdministrator, roles, best, may, mayIn, mayInAll };
}

/** A role with its article, as it stands in a sentence. */
export const aRole = (role: Role): string => `${/^[aeiou]/.test(role) ? 'an' : 'a'} ${role}`;

/** Why a record may only be looked at. */
export const NEEDS_ASSISTANT = 'changing it needs an assistant, which you are not here.';

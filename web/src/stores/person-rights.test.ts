import { describe, expect, it } from '@jest/globals';
import { ROLES } from '@flagstone/contract/roles';
import { aRole, rightsOf } from './person-rights.ts';

describe('what somebody may do', () => {
  it('is nothing while nobody is signed in, and for somebody without a role', () => {
    for (const rights of [rightsOf(undefined), rightsOf({ isAdministrator: false, roles: [] })])
      expect([rights.may('listener'), rights.mayIn('listener', 1), rights.mayIn('listener', null)]).toEqual([
        false,
        false,
        false,
      ]);
  });

  it('is what their role is or less, in each collection its own', () => {
    const rights = rightsOf({
      isAdministrator: false,
      roles: [
        { collectionId: 1, role: 'assistant' },
        { collectionId: 2, role: 'listener' },
      ],
    });
    expect(rights.best).toBe('assistant');
    expect(ROLES.filter((role) => rights.may(role))).toEqual(['listener', 'editor', 'assistant']);
    expect([1, 2, 3].map((id) => rights.mayIn('editor', id))).toEqual([true, false, false]);
    expect(rights.mayIn('listener', null)).toBe(false);
    expect([rights.mayInAll('assistant', [1]), rights.mayInAll('assistant', [1, 2])]).toEqual([true, false]);
  });

  it('is everything for an administrator, with a role or without', () => {
    const rights = rightsOf({ isAdministrator: true, roles: [] });
    expect([rights.may('librarian'), rights.mayIn('librarian', null), rights.mayInAll('librarian', [1, 9])]).toEqual([
      true,
      true,
      true,
    ]);
  });
});

it('is said with its article', () => {
  expect([aRole('listener'), aRole('editor'), aRole('assistant')]).toEqual(['a listener', 'an editor', 'an assistant']);
});

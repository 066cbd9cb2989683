import type { PasskeyAnswer } from '@flagstone/contract/people';
import type { AuthenticationResponseJSON, RegistrationResponseJSON } from '@simplewebauthn/browser';

/** What the browser answered, as the contract has it: the same, all of it plain JSON. */
export function passkeyAnswer(given: AuthenticationResponseJSON | RegistrationResponseJSON): PasskeyAnswer {
  return { ...given, response: { ...given.response }, clientExtensionResults: { ...given.clientExtensionResults } };
}

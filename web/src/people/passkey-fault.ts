/** What went wrong with a passkey in the browser, in words: by the names of errors that Web Authentication lays down. */
export function passkeyFault(error: unknown): string {
  const name = error instanceof Error ? error.name : '';
  if (name === 'NotAllowedError') return 'No passkey was given: it was called off, or took too long.';
  if (name === 'InvalidStateError') return 'This device has a passkey for you already.';
  if (name === 'SecurityError') return 'Passkeys hold for a name: open Flagstone by its name, or as localhost.';
  return error instanceof Error ? error.message : String(error);
}

import { call } from '../api/client.ts';
import { showingErrors, tell } from './use-errors.ts';

/** What a composable that talks to the server works with; its test gives one of its own. */
export interface Server {
  call: typeof call;
  /** Runs something that may fail and shows its error; undefined then. */
  attempt: typeof showingErrors;
  tell: typeof tell;
}

export const server: Server = { call, attempt: showingErrors, tell };

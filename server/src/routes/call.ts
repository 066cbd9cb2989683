import type { Api } from '@flagstone/contract/api';
import type { Endpoint } from '@flagstone/contract/endpoint';
import type { AppContext } from '../app-context.ts';
import type { Asker } from '../people/asker.ts';
import type { Caller } from '../people/audit-log.ts';
import type { Site } from '../people/passkeys.ts';
import type { Sight } from '../rights/rights.ts';

/** What a handler gets of a request, parsed. */
export interface Call<Params, Query, Body> {
  params: Params;
  query: Query;
  body: Body;
  /** Who asks; 0 where nobody has to be signed in. */
  person: number;
  asker: Asker;
  /** The collections in which they have the role that the endpoint needs. */
  sight: Sight;
  caller: Caller;
  site: Site;
  /** The secret of the session that the browser has, and what gives it another one or none. */
  session: { secret: string | undefined; begin: (secret: string) => void; end: () => void };
  /** Aborted when nobody waits for the answer any more. */
  signal: AbortSignal;
}

type HandlerOf<E> =
  E extends Endpoint<infer Params, infer Query, infer Body, infer Response>
    ? (app: AppContext, call: Call<Params, Query, Body>) => Promise<Response>
    : never;

/** One handler for each of some endpoints of the contract. */
export type Handlers<Name extends keyof Api = keyof Api> = { [Each in Name]: HandlerOf<Api[Each]> };

import type { TokenRole } from '@flagstone/contract/people';
import type { Rights } from '../rights/rights.ts';

/** Whose a session or token is. */
export interface Owner {
  personId: number;
  name: string;
  /** Zero for a token. */
  sessionId: number;
  /** The most that a token may do; null for all that the person may. */
  most: TokenRole | null;
}

/** Who asks: somebody with a session, or a token that acts for them, and what they may do. */
export interface Asker extends Owner {
  rights: Rights;
}

export type SecretKind = 'session' | 'token';

/** Finds out who asks by the secret that they show. */
export interface AskerSource {
  /** Undefined when there is no such session or token, or it is over. What is known of before does not do for a request that changes something. */
  find: (kind: SecretKind, secret: string, isChanging?: boolean) => Promise<Asker | undefined>;
  /** The same, asked of the database now. Looking is no use of a session: a page that is left open does not keep it. */
  findAnew: (kind: SecretKind, secret: string) => Promise<Asker | undefined>;
}

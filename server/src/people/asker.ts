/** Who asks: somebody with a session, or a token that acts for them. */
export interface Asker {
  personId: number;
  name: string;
  isAdministrator: boolean;
  /** Zero for a token. */
  sessionId: number;
}

export type SecretKind = 'session' | 'token';

/** Finds out who asks by the secret that they show. */
export interface AskerSource {
  /** Undefined when there is no such session or token, or it is over. */
  find: (kind: SecretKind, secret: string) => Promise<Asker | undefined>;
  /** Whether a session or token still holds. Looking is no use of it: a page that is left open does not keep its session. */
  holds: (kind: SecretKind, secret: string) => Promise<boolean>;
}

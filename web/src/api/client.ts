import { api, type Api } from '@flagstone/contract/api';
import { errorBodySchema, type Endpoint, type ErrorBody } from '@flagstone/contract/endpoint';

/** An answer of the server that is no success: what, and what to do. */
export class ApiError extends Error {
  readonly body: ErrorBody;
  readonly status: number;

  constructor(status: number, body: ErrorBody) {
    super(body.message);
    this.name = 'ApiError';
    this.status = status;
    this.body = body;
  }

  /** Nobody is signed in here, or no longer. */
  get isSignedOut(): boolean {
    return this.body.code === 'SIGN_IN_REQUIRED';
  }
}

type ParamsOf<E> = E extends Endpoint<infer Params, unknown, unknown, unknown> ? Params : never;
type QueryOf<E> = E extends Endpoint<infer _P, infer Query, infer _B, infer _R> ? Query : never;
type BodyOf<E> = E extends Endpoint<infer _P, infer _Q, infer Body, infer _R> ? Body : never;
type ResponseOf<E> = E extends Endpoint<infer _P, infer _Q, infer _B, infer Response> ? Response : never;

interface CallOptions<E> {
  params?: ParamsOf<E>;
  query?: Partial<NonNullable<QueryOf<E>>>;
  body?: BodyOf<E>;
  signal?: AbortSignal;
  /** False: throws when nobody is signed in, instead of waiting for it. */
  waitsForSignIn?: boolean;
}

/** Goes along with every request: no page of another site can send it. */
export const OWN_REQUEST = { 'X-Flagstone-Request': '1' };

let signedInAgain: () => Promise<void> = () => Promise.reject(new Error('nobody waits for a sign-in yet'));

/** Says what is to be done when nobody is signed in any more: what it returns resolves once the same person is in again. */
export function onSignedOut(act: () => Promise<void>): void {
  signedInAgain = act;
}

/**
 * Sends a request; one that comes after the end of the session waits until the person has signed in again, and is sent once more: what was typed is saved then.
 * Throws ApiError.
 */
async function send(address: string, init: RequestInit, waits = true): Promise<Response> {
  const response = await fetch(address, init).catch((cause: unknown) => {
    if (cause instanceof DOMException && cause.name === 'AbortError') throw cause;
    throw new ApiError(0, {
      code: 'UNREACHABLE',
      message: 'The Flagstone server does not answer.',
      remedy: 'See whether it still runs, then try again.',
      details: {},
    });
  });
  if (response.ok) return response;
  const error = new ApiError(response.status, errorBodySchema.parse(await response.json()));
  if (!error.isSignedOut || !waits) throw error;
  await signedInAgain();
  init.signal?.throwIfAborted();
  return send(address, init);
}

/** Calls an endpoint of the contract by its name; the answer is parsed by its schema. Throws ApiError. */
export async function call<Name extends keyof Api>(
  name: Name,
  options: CallOptions<Api[Name]> = {},
): Promise<ResponseOf<Api[Name]>> {
  const endpoint = api[name] as unknown as Endpoint<unknown, unknown, unknown, ResponseOf<Api[Name]>>;
  const params = (options.params ?? {}) as Record<string, unknown>;
  const path = endpoint.path.replace(/:(\w+)/g, (_, key: string) => encodeURIComponent(String(params[key])));
  const query = new URLSearchParams();
  for (const [key, value] of Object.entries<unknown>(options.query ?? {})) {
    if (typeof value === 'number' || (typeof value === 'string' && value !== '')) query.set(key, String(value));
  }
  const search = query.size > 0 ? `?${query.toString()}` : '';
  const isRead = endpoint.method === 'GET';
  const init = {
    method: endpoint.method,
    headers: { ...OWN_REQUEST, ...(isRead ? {} : { 'Content-Type': 'application/json' }) },
    ...(isRead ? {} : { body: JSON.stringify(options.body ?? {}) }),
    ...(options.signal ? { signal: options.signal } : {}),
  };
  const response = await send(`/api${path}${search}`, init, options.waitsForSignIn);
  return endpoint.response.parse(await response.json());
}

/** Where a copy's audio streams from. */
export function audioAddress(copyId: number): string {
  return `/api/copies/${copyId}/audio`;
}

/** Sends a file to a plain route and parses what it answers with. Throws ApiError. */
export async function sendFile<Schema extends { parse: (value: unknown) => unknown }>(
  address: string,
  file: Blob,
  schema: Schema,
): Promise<ReturnType<Schema['parse']>> {
  const response = await send(`/api${address}`, {
    method: 'POST',
    headers: { ...OWN_REQUEST, 'Content-Type': 'application/octet-stream' },
    body: file,
  });
  return schema.parse(await response.json()) as ReturnType<Schema['parse']>;
}

/** Bytes from a plain route, with what its headers say. Throws ApiError. */
export async function fetchBytes(
  address: string,
  options: { signal?: AbortSignal; body?: unknown } = {},
): Promise<{ bytes: ArrayBuffer; header: (name: string) => number }> {
  const response = await send(`/api${address}`, {
    ...(options.body === undefined
      ? {}
      : { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(options.body) }),
    ...(options.signal ? { signal: options.signal } : {}),
  });
  return { bytes: await response.arrayBuffer(), header: (name) => Number(response.headers.get(name)) };
}

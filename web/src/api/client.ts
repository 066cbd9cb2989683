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
}

let personId = 0;

/** Says who acts; sent with every request. */
export function setActingPerson(id: number): void {
  personId = id;
  // For players, pictures, live events and forms, which send no header.
  document.cookie = `flagstone-person=${id}; path=/api; samesite=strict`;
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
  const response = await fetch(`/api${path}${search}`, {
    method: endpoint.method,
    headers: {
      'X-Flagstone-Person': String(personId),
      ...(endpoint.method === 'GET' ? {} : { 'Content-Type': 'application/json' }),
    },
    ...(endpoint.method === 'GET' ? {} : { body: JSON.stringify(options.body ?? {}) }),
    ...(options.signal ? { signal: options.signal } : {}),
  }).catch((cause: unknown) => {
    if (cause instanceof DOMException && cause.name === 'AbortError') throw cause;
    throw new ApiError(0, {
      code: 'UNREACHABLE',
      message: 'The Flagstone server does not answer.',
      remedy: 'See whether it still runs, then try again.',
      details: {},
    });
  });
  const json: unknown = await response.json();
  if (!response.ok) throw new ApiError(response.status, errorBodySchema.parse(json));
  return endpoint.response.parse(json);
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
  const response = await fetch(`/api${address}`, {
    method: 'POST',
    headers: { 'X-Flagstone-Person': String(personId), 'Content-Type': 'application/octet-stream' },
    body: file,
  });
  const json: unknown = await response.json();
  if (!response.ok) throw new ApiError(response.status, errorBodySchema.parse(json));
  return schema.parse(json) as ReturnType<Schema['parse']>;
}

/** Bytes from a plain route, with what its headers say. Throws ApiError. */
export async function fetchBytes(
  address: string,
  options: { signal?: AbortSignal; body?: unknown } = {},
): Promise<{ bytes: ArrayBuffer; header: (name: string) => number }> {
  const response = await fetch(`/api${address}`, {
    ...(options.body === undefined
      ? {}
      : { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(options.body) }),
    ...(options.signal ? { signal: options.signal } : {}),
  });
  if (!response.ok) throw new ApiError(response.status, errorBodySchema.parse(await response.json()));
  return { bytes: await response.arrayBuffer(), header: (name) => Number(response.headers.get(name)) };
}

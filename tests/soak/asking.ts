import type { RunningServer } from '../running-server.ts';

/** What is kept of all requests. */
export interface Asked {
  requests: number;
  slowestMs: number;
}

/** A request that was refused. */
export interface Refusal {
  what: string;
  status: number;
  text: string;
}

/** Asks a server as one of some people, by their headers, and keeps how often and how long; undefined for what was refused, and for answers that are no JSON. */
export function asking(
  server: RunningServer,
  headersOf: (person: number) => Record<string, string> | undefined,
  asked: Asked,
  refused: (refusal: Refusal) => void,
) {
  return async <Answer>(
    person: number,
    method: string,
    address: string,
    body?: unknown,
  ): Promise<Answer | undefined> => {
    const began = performance.now();
    const answer = await fetch(`${server.address}/api${address}`, {
      method,
      headers: { 'Content-Type': 'application/json', ...headersOf(person) },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const bytes = Buffer.from(await answer.arrayBuffer());
    asked.requests += 1;
    asked.slowestMs = Math.max(asked.slowestMs, performance.now() - began);
    if (!answer.ok) {
      refused({ what: `${method} ${address}`, status: answer.status, text: bytes.toString() });
      return undefined;
    }
    const isJson = answer.headers.get('content-type')?.includes('json') === true;
    return isJson ? (JSON.parse(bytes.toString()) as Answer) : undefined;
  };
}

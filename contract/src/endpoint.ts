import { z } from 'zod';

export type Method = 'GET' | 'POST' | 'PATCH' | 'DELETE';

/** One address of the API with the schemas of what goes in and what comes out. Server and web client are both built from it. */
export interface Endpoint<Params = unknown, Query = unknown, Body = unknown, Response = unknown> {
  method: Method;
  /** Below /api, with `:name` for parameters. */
  path: string;
  params: z.ZodType<Params>;
  query: z.ZodType<Query>;
  body: z.ZodType<Body>;
  response: z.ZodType<Response>;
}

const nothing = z.object({}).optional();
type Nothing = z.infer<typeof nothing>;

interface Parts<Params, Query, Body, Response> {
  params?: z.ZodType<Params>;
  query?: z.ZodType<Query>;
  body?: z.ZodType<Body>;
  response: z.ZodType<Response>;
}

/** Defines an endpoint; parts that are left out accept nothing. */
export function endpoint<Response, Params = Nothing, Query = Nothing, Body = Nothing>(
  method: Method,
  path: string,
  parts: Parts<Params, Query, Body, Response>,
): Endpoint<Params, Query, Body, Response> {
  const none = nothing as unknown as z.ZodType;
  return {
    method,
    path,
    params: parts.params ?? (none as z.ZodType<Params>),
    query: parts.query ?? (none as z.ZodType<Query>),
    body: parts.body ?? (none as z.ZodType<Body>),
    response: parts.response,
  };
}

/** The body of every answer that is not a success. */
export const errorBodySchema = z.object({
  code: z.string(),
  message: z.string(),
  remedy: z.string(),
  details: z.record(z.string(), z.unknown()).default({}),
});
export type ErrorBody = z.infer<typeof errorBodySchema>;

export const idParams = z.object({ id: z.coerce.number().int().positive() });

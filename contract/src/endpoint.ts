import { z } from 'zod';
import type { Role } from './roles.ts';

export type Method = 'GET' | 'POST' | 'PATCH' | 'DELETE';

/** Of which collections a role is needed: of those that what an endpoint names belongs to. */
export type Subject =
  /** At least one collection; what the answer tells is only of those. */
  | 'anything'
  /** All collections, for what they share: names, rules. */
  | 'everything'
  | 'collection'
  | 'readFolder'
  /** A folder on disk, by its path: of the collection that is named, and of those whose folders hold it or lie in it. */
  | 'folder'
  /** All that is known below a folder of a drive. */
  | 'place'
  | 'batch'
  /** Of the collection that it is brought into. */
  | 'arrival'
  /** One of the collections that hold it: a sound may have copies in several. */
  | 'sound'
  /** The collection of the very file. */
  | 'copy'
  /** Of each of the sounds that are chosen, one of its collections. */
  | 'selection'
  | 'copies'
  | 'rows'
  | 'copyOut'
  /** Of each file that is chosen, its own collection. */
  | 'files'
  | 'plan'
  | 'change'
  /** Of the sound of each proposal, one of its collections. */
  | 'proposals'
  | 'job'
  /** A pull list is seen by whoever made it, by those who see a sound in it, and, while it is empty, by everybody who may fill it. */
  | 'pullList'
  | 'pullEntry';

/** A role that is needed, and of which collections. */
export interface RoleNeeded {
  role: Role;
  of: Subject;
}

/** What an endpoint needs that concerns collections. */
export const as = (role: Role, of: Subject): RoleNeeded => ({ role, of });

/**
 * Who may ask: `nobody` has to be signed in; an `asker` is, by a session or a token, and asks what is theirs; a `session` is somebody in person, as a
 * token must not make further keys; an `administrator` may do everything in the whole house;
 * for everything else a role is needed.
 */
export type Needs = 'nobody' | 'asker' | 'session' | 'administrator' | RoleNeeded;

/** One address of the API with the schemas of what goes in and what comes out. Server and web client are both built from it. */
export interface Endpoint<Params = unknown, Query = unknown, Body = unknown, Response = unknown> {
  method: Method;
  needs: Needs;
  /** What the audit log says of whoever asks for it, as “runs a plan”; undefined for what is not kept there. */
  audit: string | undefined;
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
  needs: Needs;
  audit?: string;
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
    needs: parts.needs,
    audit: parts.audit,
    path,
    params: parts.params ?? (none as z.ZodType<Params>),
    query: parts.query ?? (none as z.ZodType<Query>),
    body: parts.body ?? (none as z.ZodType<Body>),
    response: parts.response,
  };
}

/** How the body of a raw endpoint arrives, and how large it may be (`256kb`); a stream is read by the handler, which bounds it. */
export type RawBody<Body> =
  { as: 'json' | 'form'; most: string; schema: z.ZodType<Body> } | { as: 'bytes'; most: string } | { as: 'stream' };

/** One address of the API that answers with something else than JSON by a schema: audio, a file, a stream of events. */
export interface RawEndpoint<Params = unknown, Query = unknown, Body = unknown> {
  method: Method;
  needs: Needs;
  audit: string | undefined;
  path: string;
  params: z.ZodType<Params>;
  query: z.ZodType<Query>;
  body: RawBody<Body> | undefined;
}

/** Defines a raw endpoint; parts that are left out accept nothing. */
export function rawEndpoint<Params = Nothing, Query = Nothing, Body = undefined>(
  method: Method,
  path: string,
  parts: { needs: Needs; audit?: string; params?: z.ZodType<Params>; query?: z.ZodType<Query>; body?: RawBody<Body> },
): RawEndpoint<Params, Query, Body> {
  const none = nothing as unknown as z.ZodType;
  return {
    method,
    needs: parts.needs,
    audit: parts.audit,
    path,
    params: parts.params ?? (none as z.ZodType<Params>),
    query: parts.query ?? (none as z.ZodType<Query>),
    body: parts.body,
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

/** The same as it is sent: problem details (RFC 9457) of no further type, whose title is that of the status, with our own members beside them. */
export const problemSchema = errorBodySchema.extend({
  type: z.literal('about:blank'),
  title: z.string(),
  status: z.number().int(),
  /** The message once more, where RFC 9457 has it. */
  detail: z.string(),
});
export type Problem = z.infer<typeof problemSchema>;

export const idParams = z.object({ id: z.coerce.number().int().positive() });

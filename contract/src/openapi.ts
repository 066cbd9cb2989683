import { z } from 'zod';
import { api, rawApi } from './api.ts';
import { problemSchema, type Endpoint, type Needs, type RawEndpoint } from './endpoint.ts';

type Json = Record<string, unknown>;

/** A schema as JSON Schema, draft 2020-12, the one of OpenAPI 3.1: of what is sent as it may be sent, of what is answered as it is. */
function jsonSchema(schema: z.ZodType, io: 'input' | 'output'): Json {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any', reused: 'inline' }) as Json;
  return rest;
}

/** Each key of an object as a parameter of an address. */
function parametersOf(schema: z.ZodType, place: 'path' | 'query'): Json[] {
  const { properties = {}, required = [] } = jsonSchema(schema, 'input') as {
    properties?: Record<string, Json>;
    required?: string[];
  };
  return Object.entries(properties).map(([name, of]) => ({
    name,
    in: place,
    required: place === 'path' || required.includes(name),
    schema: of,
  }));
}

const isNothing = (schema: z.ZodType): boolean => {
  const { properties = {}, ...rest } = jsonSchema(schema, 'input') as { properties?: Json };
  return Object.keys(properties).length === 0 && !('anyOf' in rest) && !('oneOf' in rest) && !('items' in rest);
};

/** `listPullEntries` as “List pull entries”. */
const inWords = (name: string): string => {
  const words = name.replaceAll(/([A-Z])/g, ' $1').toLowerCase();
  return words.charAt(0).toUpperCase() + words.slice(1);
};

function needsInWords(needs: Needs): string {
  if (needs === 'nobody') return 'Nobody has to be signed in.';
  if (needs === 'asker') return 'For whoever is signed in, by a session or a token.';
  if (needs === 'session') return 'For whoever is signed in in person; a token does not do.';
  if (needs === 'administrator') return 'For administrators.';
  return `Needs the role of ${needs.role} in: ${needs.of}.`;
}

const PROBLEM = {
  description: 'What went wrong, and what to do about it (RFC 9457).',
  content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
};

function operationOf(name: string, { needs, params, query }: Pick<Endpoint, 'needs' | 'params' | 'query'>): Json {
  return {
    operationId: name,
    summary: inWords(name),
    description: needsInWords(needs),
    parameters: [...parametersOf(params, 'path'), ...parametersOf(query, 'query')],
    ...(needs === 'nobody' ? { security: [] } : {}),
  };
}

const bodyOf = (type: string, schema: Json): Json => ({ required: true, content: { [type]: { schema } } });
const BYTES = { type: 'string', format: 'binary' };

function rawBodyOf({ body }: RawEndpoint): Json | undefined {
  if (!body) return undefined;
  if (body.as === 'json') return bodyOf('application/json', jsonSchema(body.schema, 'input'));
  if (body.as === 'form') return bodyOf('application/x-www-form-urlencoded', jsonSchema(body.schema, 'input'));
  return bodyOf('application/octet-stream', BYTES);
}

/** The whole API as an OpenAPI document, version 3.1.0, made from the schemas by which requests are parsed. */
export function openApi(version: string): Json {
  const paths: Record<string, Json> = {};
  const add = (method: string, path: string, operation: Json): void => {
    const address = path.replaceAll(/:(\w+)/g, '{$1}');
    paths[address] = { ...paths[address], [method.toLowerCase()]: operation };
  };
  for (const [name, each] of Object.entries(api) as [string, Endpoint][])
    add(each.method, each.path, {
      ...operationOf(name, each),
      ...(each.method === 'GET' || isNothing(each.body)
        ? {}
        : { requestBody: bodyOf('application/json', jsonSchema(each.body, 'input')) }),
      responses: {
        200: {
          description: 'The answer.',
          content: { 'application/json': { schema: jsonSchema(each.response, 'output') } },
        },
        default: PROBLEM,
      },
    });
  for (const [name, each] of Object.entries(rawApi) as [string, RawEndpoint][]) {
    const requestBody = rawBodyOf(each);
    add(each.method, each.path, {
      ...operationOf(name, each),
      ...(requestBody ? { requestBody } : {}),
      responses: {
        200: { description: 'A file, a stream, or a table.', content: { '*/*': { schema: BYTES } } },
        default: PROBLEM,
      },
    });
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Flagstone',
      version,
      description:
        'Everything that the application does it does by these addresses. A program asks with a token (Authorization: Bearer …), which a person makes at their account and which may do what they may.',
    },
    servers: [{ url: '/api' }],
    security: [{ token: [] }, { session: [] }],
    paths,
    components: {
      schemas: { Problem: jsonSchema(problemSchema, 'output') },
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: { type: 'apiKey', in: 'cookie', name: 'flagstone-session' },
      },
    },
  };
}

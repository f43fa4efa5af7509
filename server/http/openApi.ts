/**
 * The OpenAPI 3.1 document, made from the contract's endpoints and their Zod schemas, and a page to read it by. Both
 * are open to everybody: they tell nothing of a desk.
 */
import type { Router } from 'express';
import { endpoints } from '@tracheon/core/contract/all';
import { z } from 'zod';
import {
  errorCatalogue,
  partInputs,
  partKinds,
  pathParameters,
  templateInput,
  templateKinds,
  type Endpoint,
  type ErrorCode,
} from '@tracheon/core/contract';

type Json = Record<string, unknown>;

const problemSchema: Json = {
  type: 'object',
  description: 'RFC 9457 problem document.',
  required: ['type', 'title', 'status', 'code'],
  properties: {
    type: { type: 'string', description: 'Address of the code in the error catalogue.' },
    title: { type: 'string', description: 'One sentence for a person.' },
    status: { type: 'integer' },
    code: { type: 'string', enum: Object.keys(errorCatalogue) },
    detail: { type: 'string' },
    fields: {
      type: 'array',
      items: {
        type: 'object',
        required: ['path', 'message'],
        properties: { path: { type: 'string' }, message: { type: 'string' } },
      },
    },
    current: {
      anyOf: [{ $ref: '#/components/schemas/Part' }, { type: 'object' }],
      description: 'The record as it stands now.',
    },
    requestId: { type: 'string' },
  },
};

/** JSON Schema 2020-12 of what goes over the wire; what a schema only checks in code is not in it. */
function jsonSchema(schema: z.ZodType, io: 'input' | 'output'): Json {
  const json = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Json;
  // The document says once which dialect its schemas are in.
  delete json.$schema;
  return json;
}

/** Of template files: what each kind's body may hold. */
export const templateSchema = (): Json => ({
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Tracheon template',
  oneOf: templateKinds.map((kind) =>
    jsonSchema(templateInput.extend({ kind: z.literal(kind), body: partInputs[kind] }), 'input'),
  ),
});

const inputName = (kind: string): string =>
  `${kind.replace(/(^|-)(\w)/g, (_m, _d, c: string) => c.toUpperCase())}Input`;
const anyInput = { oneOf: partKinds.map((k) => ({ $ref: `#/components/schemas/${inputName(k)}` })) };

export function openApiDocument(origin: string): Json {
  const paths: Record<string, Json> = {};
  for (const [name, e] of Object.entries(endpoints) as [string, Endpoint][])
    (paths[e.path] ??= {})[e.method] = operation(name, e);
  return {
    openapi: '3.1.0',
    info: {
      title: 'Tracheon',
      version: '1',
      description:
        'Everything the screens can do. Amounts are micro-units (1 000 000 = 1.00) in decimal text; times are ISO 8601 in UTC. ' +
        'Scripts show a token as `Authorization: Bearer …`; create one under Settings.',
    },
    servers: [{ url: `${origin}/api` }],
    security: [{ token: [] }],
    paths,
    components: {
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: {
          type: 'apiKey',
          in: 'cookie',
          name: 'tracheon',
          description: 'The cookie set at sign-in. Changes also need X-CSRF-Token and the desk’s own Origin.',
        },
      },
      schemas: {
        Problem: problemSchema,
        Part: jsonSchema((endpoints.part as Endpoint).answer as z.ZodType, 'output'),
        ...Object.fromEntries(partKinds.map((k) => [inputName(k), jsonSchema(partInputs[k], 'input')])),
      },
    },
  };
}

function operation(name: string, e: Endpoint): Json {
  const parameters = [
    ...pathParametersOf(e),
    ...queryParametersOf(e),
    ...(e.once
      ? [header('Idempotency-Key', 'The same key and body within 24 h return the first answer.')]
      : []),
    ...(e.etag === 'takes' ? [header('If-Match', 'The ETag that you read. Any other is refused.')] : []),
  ];
  return {
    operationId: name,
    tags: [e.group],
    summary: e.summary,
    description: e.least === 'anyone' ? 'Open to everybody.' : `Least role: ${e.least}.`,
    ...(e.session ? { security: e.least === 'anyone' ? [] : [{ session: [] }] } : {}),
    ...(parameters.length > 0 ? { parameters } : {}),
    ...(e.upload
      ? {
          requestBody: {
            required: true,
            content: { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } },
          },
        }
      : {}),
    ...(e.body
      ? { requestBody: { required: true, content: { 'application/json': { schema: bodySchema(e) } } } }
      : {}),
    responses: { [e.status ?? 200]: success(e), ...refusals(e) },
  };
}

const header = (name: string, description: string): Json => ({
  name,
  in: 'header',
  description,
  schema: { type: 'string' },
});

function pathParametersOf(e: Endpoint): Json[] {
  return [...e.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: jsonSchema(pathParameters[name!]!, 'input'),
  }));
}

function queryParametersOf(e: Endpoint): Json[] {
  if (!e.query) return [];
  const { properties = {} } = jsonSchema(e.query, 'output') as { properties?: Record<string, Json> };
  const { required = [] } = jsonSchema(e.query, 'input') as { required?: string[] };
  return Object.entries(properties).map(([name, schema]) => ({
    name,
    in: 'query',
    required: required.includes(name),
    schema,
  }));
}

function bodySchema(e: Endpoint): Json {
  if (e.bodyOf === 'part') return anyInput;
  const schema = jsonSchema(e.body!, 'input');
  if (e.bodyOf === 'partChange') (schema.properties as Json).body = anyInput;
  return schema;
}

function success(e: Endpoint): Json {
  if (e.answer === 'stream')
    return {
      description: 'A stream of events.',
      content: { 'text/event-stream': { schema: { type: 'string' } } },
    };
  return {
    description: 'Done.',
    ...(e.etag ? { headers: { ETag: { schema: { type: 'string' } } } } : {}),
    content: { 'application/json': { schema: jsonSchema(e.answer, 'output') } },
  };
}

/** By status, since a status may stand for several codes. */
function refusals(e: Endpoint): Json {
  const codes: ErrorCode[] = [
    ...(e.least === 'anyone' ? [] : (['not_signed_in', 'wrong_token', 'too_many_tries'] as const)),
    ...(e.least === 'anyone' || e.least === 'viewer' ? [] : (['role_too_small'] as const)),
    ...(e.method === 'get' ? [] : (['foreign_origin', 'bad_csrf_token'] as const)),
    ...(e.method === 'get' || e.session ? [] : (['scope_too_small'] as const)),
    ...(e.session && e.least !== 'anyone' ? (['session_only'] as const) : []),
    ...(e.body ? (['malformed_body', 'nested_too_deeply', 'body_too_large'] as const) : []),
    ...(e.body || e.query ? (['invalid_input'] as const) : []),
    ...(e.once ? (['key_used_otherwise', 'key_still_at_it'] as const) : []),
    ...(e.etag === 'takes' ? (['precondition_failed'] as const) : []),
    ...(e.refuses ?? []),
    'database_away',
  ];
  const byStatus: Record<string, string[]> = {};
  for (const code of new Set(codes)) (byStatus[errorCatalogue[code].status] ??= []).push(code);
  return Object.fromEntries(
    Object.entries(byStatus).map(([status, list]) => [
      status,
      {
        description: list.map((c) => `\`${c}\`: ${errorCatalogue[c as ErrorCode].sentence}`).join(' '),
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
      },
    ]),
  );
}

export function documentRoutes(api: Router, origin: string): void {
  const document = once(() => openApiDocument(origin));
  const page = once(readablePage);
  api.get('/openapi.json', (_req, res) => void res.json(document()));
  api.get('/template-schema.json', (_req, res) => void res.json(templateSchema()));
  api.get('/docs', (_req, res) => void res.type('html').send(page()));
}

/** Made when somebody asks for it first, so that no start waits for it. */
function once<T>(make: () => T): () => T {
  let made: { value: T } | null = null;
  return () => (made ??= { value: make() }).value;
}

const escape = (text: string): string =>
  text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!);

/** No scripts: headings, tables, and what the schemas say. */
function readablePage(): string {
  const groups = [...new Set((Object.values(endpoints) as Endpoint[]).map((e) => e.group))];
  const section = (group: string): string =>
    `<h2>${group}</h2>` +
    (Object.entries(endpoints) as [string, Endpoint][])
      .filter(([, e]) => e.group === group)
      .map(([name, e]) => endpointHtml(name, e))
      .join('');
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>The API of Tracheon</title>
<meta name="viewport" content="width=device-width"><style>
body{font:15px/1.5 system-ui,sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem;color:#1c2420;background:#fbfaf7}
h1{font-size:1.6rem}h2{border-bottom:1px solid #d5d3c9;padding-bottom:.3rem;margin-top:2.2rem}
code,pre{font:13px/1.45 ui-monospace,monospace}pre{overflow:auto;background:#f1efe8;padding:.7rem;margin:.4rem 0}
details{margin:.35rem 0}summary{cursor:pointer}summary b{font-weight:600}.quiet{color:#5b645f}
</style></head><body><h1>The API of Tracheon</h1>
<p>Everything the screens can do. Scripts show a token: <code>Authorization: Bearer …</code>; create one under <em>Settings</em>.
Amounts are micro-units (1 000 000 = 1.00) in decimal text. Refusals are problem documents with a stable code.
The same as OpenAPI 3.1: <a href="openapi.json">openapi.json</a>.</p>
${groups.map(section).join('')}</body></html>`;
}

function endpointHtml(name: string, e: Endpoint): string {
  const code = (title: string, value: unknown): string =>
    `<p class="quiet">${title}</p><pre>${escape(JSON.stringify(value, null, 2))}</pre>`;
  const notes = [
    e.least === 'anyone' ? 'open to everybody' : `least role: ${e.least}`,
    ...(e.session ? ['not for tokens'] : []),
    ...(e.once ? ['takes Idempotency-Key'] : []),
    ...(e.etag === 'takes' ? ['takes If-Match'] : []),
  ];
  const refused = [...new Set(e.refuses ?? [])].map((c) => `<code>${c}</code>`).join(', ');
  return `<details id="${name}"><summary><b><code>${e.method.toUpperCase()} /api${escape(e.path)}</code></b> ${escape(e.summary)}</summary>
<p class="quiet">${notes.join(' · ')}${refused ? ` · may refuse with ${refused}` : ''}</p>
${queryParametersOf(e).length > 0 ? code('Query', queryParametersOf(e)) : ''}
${e.body ? code('Body', bodySchema(e)) : ''}
${e.answer === 'stream' ? '' : code('Answer', jsonSchema(e.answer, 'output'))}</details>`;
}

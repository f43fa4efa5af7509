/**
 * The API client: one place that knows of the CSRF token, of problem documents, and of a server that is away. An endpoint
 * is asked by its name in the contract, which types what goes out and what comes back; answers are read by its schema.
 */
import {
  firstEndpoints,
  type Endpoint,
  type EndpointName,
  type EndpointOf,
  type ErrorCode,
  type PartKind,
  type Problem,
  type StoredRecord,
} from '@tracheon/core/contract';
import type { z } from 'zod';

export class ApiError extends Error {
  constructor(
    readonly code: ErrorCode | 'unreachable',
    message: string,
    readonly fields: { path: string; message: string }[] = [],
    /** With `changed_meanwhile`: the record as it stands now. */
    readonly current: StoredRecord | null = null,
  ) {
    super(message);
  }
}

const UNREACHABLE = 'Tracheon is not responding. Check that it is running, then try again.';

let csrf = '';
let onSignedOut: () => void = () => undefined;
export const setCsrfToken = (token: string): void => void (csrf = token);
/** The desk that this tab shows; the server refuses what was meant for another one. */
let desk = '';
export const setDesk = (deskId: string): void => void (desk = deskId);
export const whenSignedOut = (handler: () => void): void => void (onSignedOut = handler);

type InPath<Path extends string> = Path extends `${string}{${infer Name}}${infer Rest}`
  ? Name | InPath<Rest>
  : never;
type Schema<E, K extends string> = E extends Record<K, infer S extends z.ZodType> ? S : never;
type Part<E, K extends 'query' | 'body'> =
  E extends Record<K, z.ZodType> ? { [P in K]: z.input<Schema<E, K>> } : unknown;
/** What an endpoint is asked with: the parameters of its path by name, its query and its body. */
export type AskedWith<N extends EndpointName> = {
  [Name in InPath<EndpointOf<N>['path']>]: Name extends 'kind' ? PartKind : string;
} & Part<EndpointOf<N>, 'query'> &
  Part<EndpointOf<N>, 'body'>;
/** The query that an endpoint takes. */
export type QueryOf<N extends EndpointName> = AskedWith<N> extends { query: infer Q } ? Q : never;
export type AnswerOf<N extends EndpointName> = z.output<Schema<EndpointOf<N>, 'answer'>>;

/** For how long the answer is waited for. */
export interface Waiting {
  /** Aborted when nobody waits any more; the server then stops working on it. */
  signal?: AbortSignal;
}

/** Most of the contract is loaded when a screen first asks for it. */
async function endpointOf(name: EndpointName): Promise<Endpoint> {
  if (name in firstEndpoints) return firstEndpoints[name as keyof typeof firstEndpoints];
  const { lateEndpoints } = await import('@tracheon/core/contract/late').catch(() => {
    throw new ApiError('unreachable', UNREACHABLE);
  });
  return lateEndpoints[name as keyof typeof lateEndpoints];
}

/** Throws an ApiError: what the server refused, in words to show, or `unreachable`. */
export async function ask<N extends EndpointName>(
  name: N,
  ...[given, more]: object extends AskedWith<N>
    ? [given?: AskedWith<N>, more?: Waiting]
    : [given: AskedWith<N>, more?: Waiting]
): Promise<AnswerOf<N>> {
  const endpoint = await endpointOf(name);
  const { query, body, ...parameters } = (given ?? {}) as Record<string, unknown>;
  const path = endpoint.path.replaceAll(/\{(\w+)\}/g, (_, parameter: string) =>
    encodeURIComponent(String(parameters[parameter])),
  );
  const res = await send(
    endpoint.method.toUpperCase(),
    `/api${path}${query === null ? '' : queryText(query)}`,
    endpoint.body ? (body ?? {}) : undefined,
    more?.signal,
  );
  if (!res.ok) throw await problemOf(res);
  const parsed = (endpoint.answer as z.ZodType<AnswerOf<N>>).safeParse(await res.json());
  if (parsed.success) return parsed.data;
  // An answer that is not what the contract says comes from a newer or older server than this page.
  throw new ApiError('internal', 'This page is older or newer than the server. Reload it.');
}

/** A file, as it is. */
export async function uploadFile<N extends 'uploadImport' | 'uploadCostFile' | 'loadRates'>(
  name: N,
  query: QueryOf<N> | null,
  file: Blob,
): Promise<AnswerOf<N>> {
  const endpoint = await endpointOf(name);
  const res = await send('POST', `/api${endpoint.path}${queryText(query)}`, file);
  if (!res.ok) throw await problemOf(res);
  return (endpoint.answer as z.ZodType<AnswerOf<N>>).parse(await res.json());
}

async function send(method: string, address: string, body: unknown, signal?: AbortSignal): Promise<Response> {
  const isFile = body instanceof Blob;
  try {
    return await fetch(address, {
      method,
      ...(signal ? { signal } : {}),
      headers: {
        ...(body === undefined
          ? {}
          : { 'Content-Type': isFile ? 'application/octet-stream' : 'application/json' }),
        ...(method === 'GET' ? {} : { 'X-CSRF-Token': csrf }),
        ...(desk === '' ? {} : { 'X-Desk': desk }),
      },
      ...(body === undefined ? {} : { body: isFile ? body : JSON.stringify(body) }),
    });
  } catch {
    throw new ApiError(
      'unreachable',
      method === 'GET'
        ? UNREACHABLE
        : 'Tracheon is not responding, so your change is not confirmed. Check that it is running, then try again.',
    );
  }
}

async function problemOf(res: Response): Promise<ApiError> {
  const problem = (await res.json().catch(() => null)) as Problem | null;
  if (problem?.code === 'not_signed_in') onSignedOut();
  // Another tab has switched: what this one shows is of no use any more.
  if (problem?.code === 'other_desk') location.assign('/today');
  return new ApiError(
    problem?.code ?? 'internal',
    [problem?.title, problem?.detail].filter(Boolean).join(' ') || `The server answered ${res.status}.`,
    problem?.fields ?? [],
    problem?.current ?? null,
  );
}

/** A query string from what is set; empty values are left out, as the contract's defaults are the same. */
function queryText(values: unknown): string {
  const pairs = Object.entries((values ?? {}) as Record<string, unknown>).filter(
    ([, v]) => v !== undefined && v !== null && v !== '',
  );
  return pairs.length === 0
    ? ''
    : `?${new URLSearchParams(pairs.map(([k, v]) => [k, String(v)])).toString()}`;
}

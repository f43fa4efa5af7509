/**
 * How a page asks an API: one place that knows of the CSRF token, of problem documents, and of a server that is away. What
 * goes out and what comes back is typed by an endpoint of a contract; answers are read by its schema.
 */
import type { ErrorCode, PartKind, Problem, StoredRecord } from '@tracheon/core/contract';
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

export const UNREACHABLE = 'Tracheon is not responding. Check that it is running, then try again.';

type InPath<Path extends string> = Path extends `${string}{${infer Name}}${infer Rest}`
  ? Name | InPath<Rest>
  : never;
type Schema<E, K extends string> = E extends Record<K, infer S extends z.ZodType> ? S : never;
type Part<E, K extends 'query' | 'body'> =
  E extends Record<K, z.ZodType> ? { [P in K]: z.input<Schema<E, K>> } : unknown;
/** What an endpoint is asked with: the parameters of its path by name, its query and its body. */
export type AskedBy<E extends { path: string }> = {
  [Name in InPath<E['path']>]: Name extends 'kind' ? PartKind : string;
} & Part<E, 'query'> &
  Part<E, 'body'>;
export type AnswerBy<E> = z.output<Schema<E, 'answer'>>;
/** The arguments behind an endpoint's name. */
export type Arguments<E extends { path: string }> =
  object extends AskedBy<E> ? [given?: AskedBy<E>, more?: Waiting] : [given: AskedBy<E>, more?: Waiting];

/** For how long the answer is waited for. */
export interface Waiting {
  /** Aborted when nobody waits any more; the server then stops working on it. */
  signal?: AbortSignal;
}

/** What a page adds to each request, and what it does about a refusal before whoever asked hears of it. */
export interface Door {
  headers: (method: string) => Record<string, string>;
  onProblem: (problem: Problem | null) => void;
}
interface Described {
  method: string;
  path: string;
  body?: unknown;
  answer: unknown;
}

/** Throws an ApiError: what the server refused, in words to show, or `unreachable`. */
export async function askBy(
  door: Door,
  endpoint: Described,
  given: unknown,
  signal?: AbortSignal,
): Promise<unknown> {
  const { query, body, ...parameters } = (given ?? {}) as Record<string, unknown>;
  const path = endpoint.path.replaceAll(/\{(\w+)\}/g, (_, parameter: string) =>
    encodeURIComponent(String(parameters[parameter])),
  );
  const res = await send(
    door,
    endpoint.method.toUpperCase(),
    `/api${path}${query === null ? '' : queryText(query)}`,
    endpoint.body ? (body ?? {}) : undefined,
    signal,
  );
  const parsed = (endpoint.answer as z.ZodType).safeParse(await res.json());
  if (parsed.success) return parsed.data;
  // An answer that is not what the contract says comes from a newer or older server than this page.
  throw new ApiError('internal', 'This page is older or newer than the server. Reload it.');
}

/** Throws an ApiError unless the answer is a good one. */
export async function send(
  door: Door,
  method: string,
  address: string,
  body: unknown,
  signal?: AbortSignal,
): Promise<Response> {
  const isFile = body instanceof Blob;
  const res = await fetch(address, {
    method,
    ...(signal ? { signal } : {}),
    headers: {
      ...(body === undefined
        ? {}
        : { 'Content-Type': isFile ? 'application/octet-stream' : 'application/json' }),
      ...door.headers(method),
    },
    ...(body === undefined ? {} : { body: isFile ? body : JSON.stringify(body) }),
  }).catch(() => {
    throw new ApiError(
      'unreachable',
      method === 'GET'
        ? UNREACHABLE
        : // Reports are asked for by POST as well.
          `${UNREACHABLE} If you were saving, check whether it is saved first.`,
    );
  });
  if (res.ok) return res;
  const problem = (await res.json().catch(() => null)) as Problem | null;
  door.onProblem(problem);
  throw new ApiError(
    problem?.code ?? 'internal',
    [problem?.title, problem?.detail].filter(Boolean).join(' ') || `The server answered ${res.status}.`,
    problem?.fields ?? [],
    problem?.current ?? null,
  );
}

/** A query string from what is set; empty values are left out, as the contract's defaults are the same. */
export function queryText(values: unknown): string {
  const pairs = Object.entries((values ?? {}) as Record<string, unknown>).filter(
    ([, v]) => v !== undefined && v !== null && v !== '',
  );
  return pairs.length === 0
    ? ''
    : `?${new URLSearchParams(pairs.map(([k, v]) => [k, String(v)])).toString()}`;
}

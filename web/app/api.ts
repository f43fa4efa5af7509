/**
 * The API client: one place that knows of the CSRF token, of problem documents, and of a server that is away. Answers
 * are read by the schemas of the contract.
 */
import { findEndpoint, type ErrorCode, type PartRecord, type Problem } from '@tracheon/core/contract';

export class ApiError extends Error {
  constructor(
    readonly code: ErrorCode | 'unreachable',
    message: string,
    readonly fields: { path: string; message: string }[] = [],
    /** With `changed_meanwhile`: the record as it stands now. */
    readonly current: PartRecord | null = null,
  ) {
    super(message);
  }
}

let csrf = '';
let onSignedOut: () => void = () => undefined;
export const setCsrfToken = (token: string): void => void (csrf = token);
export const whenSignedOut = (handler: () => void): void => void (onSignedOut = handler);

async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  let res: Response;
  try {
    res = await fetch(`/api${path}`, {
      method,
      headers: {
        ...(body === undefined ? {} : { 'Content-Type': 'application/json' }),
        ...(method === 'GET' ? {} : { 'X-CSRF-Token': csrf }),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
  } catch {
    throw new ApiError(
      'unreachable',
      'Tracheon is not responding, so nothing was changed. Check that it is running, then try again.',
    );
  }
  if (res.ok) return readAnswer<T>(method, path, await res.json());
  const problem = (await res.json().catch(() => null)) as Problem | null;
  if (problem?.code === 'not_signed_in') onSignedOut();
  throw new ApiError(
    problem?.code ?? 'internal',
    [problem?.title, problem?.detail].filter(Boolean).join(' ') || `The server answered ${res.status}.`,
    problem?.fields ?? [],
    problem?.current ?? null,
  );
}

/** An answer that is not what the contract says comes from a newer or older server than this page. */
function readAnswer<T>(method: string, path: string, json: unknown): T {
  const schema = findEndpoint(method, path.replace(/\?.*$/, ''))?.answer;
  if (!schema || schema === 'stream') throw new ApiError('internal', `The API has no ${method} ${path}.`);
  const parsed = schema.safeParse(json);
  if (parsed.success) return parsed.data as T;
  throw new ApiError('internal', 'This page is older or newer than the server. Reload it.');
}

export const api = {
  get: <T>(path: string) => ask<T>('GET', path),
  post: <T>(path: string, body: unknown = {}) => ask<T>('POST', path, body),
  put: <T>(path: string, body: unknown) => ask<T>('PUT', path, body),
  remove: <T>(path: string) => ask<T>('DELETE', path),
};

/** A query string from what is set; empty values are left out. */
export function query(values: Record<string, string | number | undefined | null>): string {
  const pairs = Object.entries(values).filter(([, v]) => v !== undefined && v !== null && v !== '');
  return pairs.length === 0
    ? ''
    : `?${new URLSearchParams(pairs.map(([k, v]) => [k, String(v)])).toString()}`;
}

/**
 * The API as a browser uses it: a session cookie, the page's origin, the CSRF token. Every answer is held against the
 * contract: nothing may be missing, and nothing may be there that it does not name.
 */
import { expect } from '@jest/globals';
import { endpoints } from '@tracheon/core/contract/all';
import type { Endpoint } from '@tracheon/core/contract';
import { findIn } from './findEndpoint.ts';

type Contract = Record<string, Pick<Endpoint, 'method' | 'path' | 'answer' | 'status'>>;

export interface Answer<T = Record<string, never>> {
  status: number;
  body: T;
  headers: Headers;
}

export class ApiClient {
  cookie = '';
  csrf = '';

  constructor(
    readonly origin: string,
    /** As which address it asks, through a trusted proxy; empty: the real one. */
    private readonly address = '',
    /** The contract that its answers are held against. */
    private readonly contract: Contract = endpoints,
  ) {}

  async ask<T>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<Answer<T>> {
    const res = await fetch(`${this.origin}/api${path}`, {
      method,
      headers: {
        Origin: this.origin,
        'X-CSRF-Token': this.csrf,
        ...(this.address === '' ? {} : { 'X-Forwarded-For': this.address }),
        ...(this.cookie === '' ? {} : { Cookie: this.cookie }),
        ...(body === undefined ? {} : { 'Content-Type': 'application/json' }),
        ...headers,
      },
      ...(body === undefined ? {} : { body: asSent(body) }),
    });
    const set = res.headers.get('set-cookie');
    if (set) this.cookie = set.split(';')[0]!;
    const text = await res.text();
    const json = (text === '' ? null : JSON.parse(text)) as T;
    if (res.ok) asContracted(this.contract, method, path, res.status, json);
    return { status: res.status, body: json, headers: res.headers };
  }
  upload = <T>(path: string, file: Buffer): Promise<Answer<T>> =>
    this.ask<T>('POST', path, file, { 'Content-Type': 'application/octet-stream' });
  get = <T>(path: string): Promise<Answer<T>> => this.ask<T>('GET', path);
  post = <T>(path: string, body: unknown = {}): Promise<Answer<T>> => this.ask<T>('POST', path, body);
  remove = <T>(path: string): Promise<Answer<T>> => this.ask<T>('DELETE', path);
  put = <T>(path: string, body: unknown): Promise<Answer<T>> => this.ask<T>('PUT', path, body);

  async signIn(email: string, password: string): Promise<Answer<{ csrfToken: string }>> {
    const answer = await this.post<{ csrfToken: string }>('/sign-in', { email, password });
    if (answer.status === 200) this.csrf = answer.body.csrfToken;
    return answer;
  }
}

/** A file goes as it is. */
const asSent = (body: unknown): string | Uint8Array<ArrayBuffer> => {
  if (Buffer.isBuffer(body)) return new Uint8Array(body);
  return typeof body === 'string' ? body : JSON.stringify(body);
};

function asContracted(contract: Contract, method: string, path: string, status: number, json: unknown): void {
  const endpoint = findIn(contract, method, path.replace(/\?.*$/, ''));
  if (!endpoint) throw new Error(`${method} ${path} is not in the contract`);
  if (endpoint.answer === 'stream') return;
  const contracted = endpoint.status ?? 200;
  if (status !== contracted)
    throw new Error(`${method} ${path} answered ${status}, the contract has ${contracted}`);
  expect(endpoint.answer.parse(json)).toEqual(json);
}

/** Asks the numbers process of this data folder. A question that is given up is stopped there as well. */
import { request } from 'node:http';
import type { NumbersAnswer, NumbersState } from '@tracheon/core/contract';
import { Problem } from '../problems/problem.ts';
import { socketOf, type Ask, type Refusal } from './numbersService.ts';

export class NumbersClient {
  constructor(private readonly dataFolder: string) {}

  async ask(ask: Ask, signal?: AbortSignal): Promise<NumbersAnswer> {
    const { status, body } = await this.call('POST', '/ask', ask, signal);
    if (status === 200) return body as NumbersAnswer;
    const { refusal } = body as { refusal?: Refusal };
    throw new Problem(refusal ?? 'internal');
  }

  async state(): Promise<NumbersState> {
    try {
      return (await this.call('GET', '/state')).body as NumbersState;
    } catch {
      return { state: 'away', visits: 0, ofAbout: 0 };
    }
  }

  private call(
    method: string,
    path: string,
    body?: unknown,
    signal?: AbortSignal,
  ): Promise<{ status: number; body: unknown }> {
    return new Promise((resolve, reject) => {
      const req = request(
        { socketPath: socketOf(this.dataFolder), method, path, ...(signal ? { signal } : {}) },
        (res) => {
          let text = '';
          res.setEncoding('utf8').on('data', (c: string) => (text += c));
          res.on('end', () => resolve({ status: res.statusCode!, body: JSON.parse(text) }));
          res.on('error', reject);
        },
      );
      req.on('error', (error: NodeJS.ErrnoException) =>
        reject(
          ['ENOENT', 'ECONNREFUSED', 'ECONNRESET'].includes(error.code ?? '')
            ? new Problem('numbers_away')
            : error,
        ),
      );
      req.end(body === undefined ? undefined : JSON.stringify(body));
    });
  }
}

/** Asks the numbers process of this data folder. A question that is given up is stopped there as well. */
import { request } from 'node:http';
import type { NumbersAnswer, NumbersState } from '@tracheon/core/contract';
import { WrittenAnswer } from '../http/writtenAnswer.ts';
import { Problem } from '../problems/problem.ts';
import type { NumbersStanding } from './keptIndex.ts';
import { socketOf, type Ask, type Refusal } from './numbersSocket.ts';

export class NumbersClient {
  constructor(private readonly dataFolder: string) {}

  async ask(ask: Ask, signal?: AbortSignal): Promise<NumbersAnswer> {
    return JSON.parse(String((await this.askWritten(ask, signal)).json)) as NumbersAnswer;
  }

  /** As it was written there, to be passed on. */
  async askWritten(ask: Ask, signal?: AbortSignal): Promise<WrittenAnswer> {
    const { status, body } = await this.call('POST', '/ask', ask, signal);
    if (status === 200) return new WrittenAnswer(body);
    const { refusal } = JSON.parse(String(body)) as { refusal?: Refusal };
    throw new Problem(refusal ?? 'internal');
  }

  async state(): Promise<NumbersState> {
    try {
      return JSON.parse(String((await this.call('GET', '/state')).body)) as NumbersState;
    } catch {
      return { state: 'away', visits: 0, ofAbout: 0 };
    }
  }

  /** null while no process answers. */
  async standing(): Promise<NumbersStanding | null> {
    try {
      return JSON.parse(String((await this.call('GET', '/standing')).body)) as NumbersStanding;
    } catch {
      return null;
    }
  }

  private call(
    method: string,
    path: string,
    body?: unknown,
    signal?: AbortSignal,
  ): Promise<{ status: number; body: Buffer }> {
    return new Promise((resolve, reject) => {
      const req = request(
        {
          socketPath: socketOf(this.dataFolder),
          method,
          path,
          // A connection of its own: one that is used again may be closed just now, after it was idle.
          agent: false,
          ...(signal ? { signal } : {}),
        },
        (res) => {
          const chunks: Buffer[] = [];
          res.on('data', (c: Buffer) => chunks.push(c));
          res.on('end', () => resolve({ status: res.statusCode!, body: Buffer.concat(chunks) }));
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

/** A server with an index of its own, and what tests of watches do with it. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from '@jest/globals';
import {
  watchInput,
  type ListEntry,
  type Notice,
  type Problem as ProblemDocument,
  type WatchFinding,
  type WatchInput,
  type WatchRecord,
  type WatchRun,
} from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { unknownVisit } from '@tracheon/core/visits';
import { commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { serveNumbers } from '../../server/numbers/numbersService.ts';
import { socketOf } from '../../server/numbers/numbersSocket.ts';
import { checkDueWatches, type WatchDeps } from '../../server/watches/checkWatches.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import type { Chain } from './testDesk.ts';
import { caughtUp, openIndex } from './testIndex.ts';

export const HOUR_MS = 3_600_000;
/** Where it is eight in the morning: hours that a test goes forward are hours of the same day. */
function morningZone(): string {
  const eastOf = 8 - new Date().getUTCHours();
  const hours = eastOf < -12 ? eastOf + 24 : eastOf;
  // These names count westwards.
  return `Etc/GMT${hours > 0 ? '-' : '+'}${Math.abs(hours)}`;
}
export interface History {
  runs: WatchRun[];
  findings: WatchFinding[];
}
export interface SeenVisits {
  site?: string | ((i: number) => string);
  hoursAgo?: number;
  more?: Partial<VisitRecord>;
}

export class WatchDesk {
  readonly troubles: string[] = [];
  /** Of the checks of this test: ahead of the server's own, which finds nothing due. */
  nowMs = Date.now() + HOUR_MS / 2;
  waiting = 0;
  private n = 0;
  private constructor(
    readonly desk: OwnDesk,
    readonly zone: string,
    readonly kept: KeptIndex,
    readonly close: () => Promise<void>,
  ) {}

  static async open(environment: Record<string, string> = {}): Promise<WatchDesk> {
    const folder = mkdtempSync(join(tmpdir(), 'tracheon-watches-'));
    const zone = morningZone();
    const desk = await openOwnServer(environment, { zone });
    const errors: string[] = [];
    const kept = openIndex(desk.pool, join(folder, 'numbers.duckdb'), errors);
    const service = await serveNumbers(kept, socketOf(desk.config.dataFolder));
    return new WatchDesk(desk, zone, kept, async () => {
      service.close();
      service.closeAllConnections();
      await kept.close();
      await desk.close();
      rmSync(folder, { recursive: true, force: true });
      expect(errors).toEqual([]);
    });
  }

  deps(more: Partial<WatchDeps> = {}): WatchDeps {
    return {
      pool: this.desk.pool,
      models: this.desk.running.models,
      ask: async (deskId, asked) => {
        const answer = (await this.kept.ask(deskId, asked, new AbortController().signal))!;
        // The test is ahead of the clock, and so is what has been taken in.
        return { ...answer, fedAt: new Date(this.nowMs).toISOString() };
      },
      now: () => this.nowMs,
      waiting: () => Promise.resolve(this.waiting),
      tell: () => undefined,
      onTrouble: (_, error) => void this.troubles.push(String((error as Error).stack)),
      ...more,
    };
  }
  caughtUp = (): Promise<void> => caughtUp(this.desk.pool, this.kept, this.troubles);
  async check(more: Partial<WatchDeps> = {}): Promise<void> {
    await this.caughtUp();
    await checkDueWatches(this.deps(more));
    expect(this.troubles).toEqual([]);
  }

  /** Visits old enough to have converted, of a source and campaign that are there. */
  async visits(
    of: Chain,
    count: number,
    micros: number,
    { site = 'moss', hoursAgo = 30, more = {} }: SeenVisits = {},
  ): Promise<string[]> {
    const rows = Array.from({ length: count }, (_, i): VisitRecord => {
      this.n += 1;
      const atMs = Date.now() - hoursAgo * HOUR_MS + this.n;
      return {
        ...unknownVisit,
        deskId: this.desk.deskId,
        id: makeUlid(
          atMs,
          Array.from({ length: 16 }, (_, i) => (i * 7 + this.n) % 32),
        ),
        atMs,
        campaignId: of.campaign.id,
        campaignVersion: 1,
        sourceId: of.source.id,
        offerId: of.offer.id,
        networkId: of.network.id,
        costMicros: BigInt(micros),
        costCurrency: 'EUR',
        address: '',
        userAgent: '',
        subs: { site: typeof site === 'string' ? site : site(i) },
        cookies: '',
        ...more,
      } as VisitRecord;
    });
    await commitVisits(this.desk.pool)(rows);
    return rows.map((r) => r.id);
  }

  watchOn(of: Chain, more: Partial<WatchInput> = {}): WatchInput {
    return watchInput.parse({
      name: `Sites that lose ${++this.n}`,
      subject: 'sub_site',
      sourceId: of.source.id,
      conditions: [
        { figure: 'spentMicros', is: '>=', than: 2, unit: 'payouts' },
        { figure: 'conversions', is: '=', than: 0 },
      ],
      windowHours: 200,
      skipHours: 1,
      everyMinutes: 60,
      act: 'block',
      asks: false,
      isOn: true,
      ...more,
    });
  }
  /** Due by the clock of the test, and not by the server's, which checks a watch that it sees switched on. */
  async add(body: WatchInput): Promise<WatchRecord> {
    const off = { ...body, isOn: false };
    const { status, body: made } = await this.desk.owner.post<WatchRecord>('/watches', off);
    expect([status, made]).toEqual([200, expect.anything()]);
    await this.desk.pool.query('UPDATE watches SET body = body || $2, next_at = $3 WHERE id = $1', [
      made.id,
      { isOn: body.isOn },
      new Date(this.nowMs),
    ]);
    return { ...made, body };
  }
  makeDue = ({ id }: WatchRecord): Promise<unknown> =>
    this.desk.pool.query('UPDATE watches SET next_at = $2 WHERE id = $1', [id, new Date(this.nowMs)]);
  async history({ id }: WatchRecord): Promise<History> {
    return (await this.desk.owner.get<History>(`/watches/${id}/history`)).body;
  }
  async found(watch: WatchRecord): Promise<string[]> {
    const { findings } = await this.history(watch);
    return findings.map((f) => `${f.name} ${f.state}${f.endedAt ? ' ended' : ''}`).sort();
  }
  async listed(of: Chain): Promise<string[]> {
    const { body } = await this.desk.owner.get<ListEntry[]>(`/list-entries?sourceId=${of.source.id}`);
    return body
      .filter((e) => e.removedAt === null)
      .map((e) => `${e.value} ${e.list}`)
      .sort();
  }
  decide = (finding: WatchFinding, decision: string) =>
    this.desk.owner.post<WatchFinding & ProblemDocument>(`/watch-findings/${finding.id}/decide`, {
      decision,
    });
  async off(watch: WatchRecord): Promise<void> {
    const all = await this.desk.owner.get<{ rows: WatchRecord[] }>('/watches');
    const { version, body } = all.body.rows.find((w) => w.id === watch.id)!;
    await this.desk.owner.put(`/watches/${watch.id}`, { version, body: { ...body, isOn: false } });
  }
  async notices(watch: WatchRecord): Promise<Notice[]> {
    const { body } = await this.desk.owner.get<{ notices: Notice[] }>('/notices');
    return body.notices.filter((n) => n.watchId === watch.id);
  }
}

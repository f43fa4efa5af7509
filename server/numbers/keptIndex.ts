/**
 * The index of one data folder, kept as PostgreSQL has it: opened if it can go on from where it was, else built anew; then
 * fed, over and over. Whatever goes wrong with the file is mended by building it anew; while PostgreSQL is away it waits.
 */
import { statSync } from 'node:fs';
import { dirname } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { Pool } from 'pg';
import type { NumbersAnswer, NumbersAsked, NumbersState } from '@tracheon/core/contract';
import { FEED_BATCH_DAYS } from '../db/factChanges.ts';
import { answer } from './ask.ts';
import { databaseName, isReplicaOf, replayedTo } from './facts.ts';
import { feedStep } from './feed.ts';
import { CostWatch } from './costWatch.ts';
import { laterCosts } from './asKnown.ts';
import { loadGround, type NumbersGround } from './ground.ts';
import { INDEX_VERSION, IndexFile } from './indexFile.ts';
import type { KeptSumsSettings } from './keptSums.ts';
import { rebuild, removeIndex } from './rebuild.ts';
import { sealedFolderOf } from './sealedFiles.ts';
import { Sealing } from './sealing.ts';
import { Turns } from './turns.ts';
import { givesVerdicts } from './verdicts.ts';

/** Events are in the numbers after at most this and the time of a step. */
const FEED_EVERY_MS = 1000;
const TRY_AGAIN_MS = 2000;
/** Errors in a row, with PostgreSQL there, after which the file is at fault. */
const MAX_ERRORS = 3;
/** A question that runs longer is stopped. */
const QUESTION_MS = 10_000;
const INTERRUPT_EVERY_MS = 50;
/** What has slept so long has missed batches; an hour less than they are kept. */
const MAX_SLEEP_MS = FEED_BATCH_DAYS * 86_400_000 - 3_600_000;

export class QuestionTooLong extends Error {}
export class NotReady extends Error {}
class NoReplica extends Error {}

/** How the process stands. Questions that ran too long, or that nobody waits for any more, were stopped. */
export interface NumbersStanding {
  isReady: boolean;
  lagMs: number | null;
  residentBytes: number;
  cpuSeconds: number;
  indexBytes: number;
  answered: number;
  stopped: number;
}

export interface KeptIndexDeps {
  /** Where facts are read. */
  pool: Pool;
  /** Where something is written, if `pool` is a replica of it. */
  primary?: Pool;
  path: string;
  questionMs?: number;
  /** Days that visits stay in PostgreSQL before they are sealed; 0 or absent: for ever. */
  visitDays?: number;
  now?: () => number;
  /** A second unless it is said. */
  feedEveryMs?: number;
  keptSums?: KeptSumsSettings;
  /** Up to so many gathered rows are finished without further statements. */
  fewRows?: number;
  /** Desks of which something was taken in. */
  onFed?: (deskIds: readonly string[]) => void;
  log: { info: (more: object, words: string) => void; error: (more: object, words: string) => void };
}

export class KeptIndex {
  private index: IndexFile | null = null;
  private progress = { visits: 0, ofAbout: 0 };
  private fedAt = '';
  private isClosing = false;
  private isDropped = false;
  private readonly counted = { answered: 0, stopped: 0 };
  private readonly running: Promise<void>;
  private readonly waiting = new AbortController();
  private readonly turns = new Turns();
  private costs: CostWatch;
  private readonly sealing: Sealing;

  constructor(private readonly deps: KeptIndexDeps) {
    this.costs = new CostWatch(deps.pool);
    const { pool, primary = pool, path, visitDays = 0, log, now } = deps;
    this.sealing = new Sealing({
      pool: primary,
      folder: sealedFolderOf(dirname(path)),
      visitDays,
      log,
      ...(now ? { now } : {}),
    });
    this.running = this.run();
  }

  get state(): NumbersState {
    return { state: this.index && !this.isDropped ? 'ready' : 'building', ...this.progress };
  }

  /** Throws NotReady while it is being built, QuestionTooLong, or what `signal` was aborted with. */
  async ask(deskId: string, asked: NumbersAsked, signal: AbortSignal): Promise<NumbersAnswer | null> {
    const { index } = this;
    if (!index || this.isDropped) throw new NotReady();
    const end = AbortSignal.any([signal, AbortSignal.timeout(this.deps.questionMs ?? QUESTION_MS)]);
    const ground = await loadGround(this.deps.pool, deskId, givesVerdicts(asked));
    if (!ground) return null;
    try {
      // Side by side they would take as long, and more of what visits need.
      const done = await this.turns.take(end);
      try {
        const answer = await this.asked(deskId, index, ground, asked, end);
        this.counted.answered += 1;
        return answer;
      } finally {
        done();
      }
    } catch (error) {
      if (end.aborted) this.counted.stopped += 1;
      throw end.aborted && !signal.aborted ? new QuestionTooLong() : error;
    }
  }

  /** A question that meets a new column of the index fails; asked again, it sees it. */
  private asked(...question: Parameters<KeptIndex['answered']>): Promise<NumbersAnswer> {
    return this.answered(...question).catch((error: unknown) => {
      const [, , , , end] = question;
      if (end.aborted) throw error;
      return this.answered(...question);
    });
  }

  private async answered(
    deskId: string,
    index: IndexFile,
    ground: NumbersGround,
    asked: NumbersAsked,
    end: AbortSignal,
  ): Promise<NumbersAnswer> {
    const connection = await index.connect();
    // Between two statements there is nothing to interrupt: it is tried until it is over.
    const stopping = setInterval(() => end.aborted && connection.interrupt(), INTERRUPT_EVERY_MS);
    try {
      end.throwIfAborted();
      const fedAt = this.fedAt;
      const later = asked.moment?.isPast ? await laterCosts(this.deps.pool, deskId, asked.moment.ms) : [];
      const tables = index.tablesOf(deskId);
      return { ...(await answer(connection, tables, ground, asked, later, this.deps.fewRows)), fedAt };
    } finally {
      clearInterval(stopping);
      connection.closeSync();
    }
  }

  /** For operators. `lagMs`: since the last step of the feed; null while there is no index. */
  get standing(): NumbersStanding {
    const { user, system } = process.cpuUsage();
    return {
      isReady: this.state.state === 'ready',
      lagMs: this.fedAt === '' ? null : Date.now() - Date.parse(this.fedAt),
      residentBytes: process.memoryUsage.rss(),
      cpuSeconds: (user + system) / 1e6,
      indexBytes: statSync(this.deps.path, { throwIfNoEntry: false })?.size ?? 0,
      ...this.counted,
    };
  }

  get pool(): Pool {
    return this.deps.pool;
  }
  /** For those who compare it with what PostgreSQL has. */
  get open(): IndexFile | null {
    return this.index;
  }

  /** It is built anew, from the next step on. */
  drop(): void {
    this.isDropped = true;
  }

  async close(): Promise<void> {
    this.isClosing = true;
    this.waiting.abort();
    await this.running;
    this.index?.close();
    this.index = null;
  }

  private async run(): Promise<void> {
    let errors = 0;
    while (!this.isClosing) {
      try {
        if (this.isDropped) this.forget();
        if (!this.index) {
          this.costs = new CostWatch(this.deps.pool);
          const opened = await this.opened();
          this.fedAt = (await opened.meta()).fedAt!;
          this.index = opened;
        }
        const { pool, primary } = this.deps;
        const knownTo = primary ? await replayedTo(pool) : null;
        const fed = await feedStep(this.deps.pool, this.index, this.costs);
        const settled = await this.costs.settleDue(this.index);
        this.fedAt = new Date(knownTo ?? Date.now()).toISOString();
        errors = 0;
        const hasSealed = !fed.hasMore && (await this.seal(this.index));
        const moved = new Set([...fed.deskIds, ...settled, ...(hasSealed ? this.index.deskIds : [])]);
        if (moved.size > 0) this.deps.onFed?.([...moved]);
        // In a busy database there is always something new: taking it in at once would take a whole core.
        if (!fed.hasMore) await this.sleep(this.deps.feedEveryMs ?? FEED_EVERY_MS);
      } catch (error) {
        if (this.isClosing) return;
        this.deps.log.error({ err: error }, 'the numbers index waits');
        errors = !(error instanceof NoReplica) && (await this.isDatabaseThere()) ? errors + 1 : 0;
        if (errors >= MAX_ERRORS) {
          this.drop();
          errors = 0;
        }
        await this.sleep(TRY_AGAIN_MS);
      }
    }
  }

  /** What stops it, as a full disk, doesn't stop the feed. */
  private async seal(index: IndexFile): Promise<boolean> {
    try {
      if (!(await this.sealing.due(index, this.costs))) return false;
      await this.costs.settleDue(index);
      return true;
    } catch (err) {
      this.deps.log.error({ err }, 'a day could not be sealed; it is tried again');
      return false;
    }
  }

  /** Between two steps: nothing of the feed is under way, and questions keep what they have opened until they end. */
  private forget(): void {
    const { index } = this;
    this.index = null;
    this.isDropped = false;
    index?.close();
    removeIndex(this.deps.path);
  }

  private sleep(ms: number): Promise<void> {
    return pause(ms, undefined, { signal: this.waiting.signal }).catch(() => undefined);
  }

  private async isDatabaseThere(): Promise<boolean> {
    return this.deps.pool.query('SELECT 1').then(
      () => true,
      () => false,
    );
  }

  private async opened(): Promise<IndexFile> {
    const { pool, primary, path, log } = this.deps;
    if (primary && !(await isReplicaOf(pool, primary)))
      throw new NoReplica('TRACHEON_NUMBERS_DATABASE_URL is no replica of DATABASE_URL');
    const kept = await this.keptFile();
    if (kept) return kept;
    const began = performance.now();
    log.info({}, 'the numbers index is being built');
    await rebuild(
      pool,
      path,
      { costs: this.costs, sealing: this.sealing },
      (now) => (this.progress = now),
      this.waiting.signal,
    );
    log.info(
      { visits: this.progress.visits, seconds: Math.round((performance.now() - began) / 1000) },
      'the numbers index is built',
    );
    return IndexFile.open(path, this.deps.keptSums);
  }

  /** null when there is none that can go on. */
  private async keptFile(): Promise<IndexFile | null> {
    const { pool, path, log } = this.deps;
    const database = await databaseName(pool);
    let index: IndexFile | null = null;
    try {
      index = await IndexFile.open(path, this.deps.keptSums);
      const { version, database: of, fedAt } = await index.meta();
      const slept = Date.now() - Date.parse(fedAt ?? '');
      if (version === INDEX_VERSION && of === database && slept < MAX_SLEEP_MS) return index;
    } catch (error) {
      log.error({ err: error }, 'the numbers index could not be opened');
    }
    index?.close();
    removeIndex(path);
    return null;
  }
}

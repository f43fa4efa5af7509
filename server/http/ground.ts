/** What every feature's routes may use, besides what the feature asks for itself. */
import type { Pool } from 'pg';
import type { StreamNews } from '@tracheon/core/contract';
import type { Config } from '../config/config.ts';
import type { Models } from '../db/models.ts';

/** Tells open browsers what has moved, and ends the streams of who is signed out. */
export interface Tells {
  tell: (deskId: string, ...topics: StreamNews['topics']) => void;
  signedOut: (memberId: string) => Promise<void>;
}

export interface ApiGround {
  config: Config;
  models: Models;
  /** Reports, events and bulk writes; records have their models. */
  pool: Pool;
  news: Tells;
  now: () => number;
  /** Asks for a run of scheduled work before its time, in whatever process takes it. */
  runSoon: (job: string) => void;
}

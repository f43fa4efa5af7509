/** Sessions, kept in PostgreSQL. */
import connectPgSimple, { type PGStoreOptions } from 'connect-pg-simple';
import session, { type SessionData } from 'express-session';

/** A screen asks many times a minute, and each answer would wait until it is written that its session is in use. */
const WRITE_EVERY_MS = 3_600_000;
/** Then all are forgotten, and written once more. */
const MOST_KNOWN = 10_000;

export class SessionStore extends connectPgSimple(session) {
  /** When it was written last that a session is in use, by this process. */
  private readonly written = new Map<string, number>();

  constructor(
    options: PGStoreOptions,
    private readonly now: () => number = Date.now,
  ) {
    super(options);
  }

  /** A session that is in use lasts on; it may end by an hour earlier than if each use were written. */
  override touch(sid: string, data: SessionData, done?: (error?: unknown) => void): void {
    const nowMs = this.now();
    const last = this.written.get(sid);
    if (last !== undefined && Math.abs(nowMs - last) < WRITE_EVERY_MS) return done?.();
    if (this.written.size >= MOST_KNOWN) this.written.clear();
    this.written.set(sid, nowMs);
    super.touch(sid, data, ((error: unknown) => {
      if (error) this.written.delete(sid);
      done?.(error);
    }) as () => void);
  }
}

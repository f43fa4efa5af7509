/**
 * What the looks of one time found, against what was known: troubles that begin, go on and end. One cause is one notice:
 * troubles of one kind and one group that begin together, unless a greater one explains them.
 */
import type { Transaction } from 'sequelize';
import { ulid } from 'ulid';
import type { SignalKind } from '@tracheon/core/contract';
import { isExplained, signalKindWords } from '@tracheon/core/signalWatches';
import type { Models } from '../db/models.ts';
import { inTransaction } from '../db/transaction.ts';
import { writeNotice } from '../notices/writeNotice.ts';

export interface FoundSignal {
  kind: SignalKind;
  /** With the kind, what it is: the same in each look for as long as it goes on. */
  subject: string;
  name: string;
  /** What they have in common that are told together, and its name. */
  group: string;
  groupName: string;
  /** null: since this look. */
  sinceMs: number | null;
  sentence: string;
  /** Empty: it was seen, not reckoned. */
  sure: string;
  advice: string;
  to: string;
}

interface Known {
  id: string;
  kind: SignalKind;
  subject: string;
  ended_at: Date | null;
  accepted_at: Date | null;
}
const keyOf = (s: { kind: string; subject: string }): string => `${s.kind} ${s.subject}`;
/** What comes back so soon had not really ended: it is told once. */
const SAME_AGAIN_MS = 6 * 3_600_000;
/** Looks that are further ahead were made before the clock was set back. */
const LONGEST_LOOK_MS = 10 * 60_000;
/** What a member has said to be right is not found again for so long. */
const ACCEPTED_DAYS = 7;

/** Returns whether anything has changed. Kinds that were not looked at stay as they are. */
export function reconcile(
  models: Models,
  deskId: string,
  looked: readonly SignalKind[],
  found: readonly FoundSignal[],
  nowMs: number,
): Promise<boolean> {
  return inTransaction(models, async (transaction) =>
    new Reconciling(models, transaction, deskId, nowMs).run(looked, found),
  );
}

class Reconciling {
  constructor(
    private readonly models: Models,
    private readonly transaction: Transaction,
    private readonly deskId: string,
    private readonly nowMs: number,
  ) {}

  private async rows<R extends object>(sql: string, more: Record<string, unknown>): Promise<R[]> {
    const replacements = { deskId: this.deskId, now: new Date(this.nowMs), ...more };
    const [rows] = await this.models.sequelize.query(sql, { replacements, transaction: this.transaction });
    return rows as R[];
  }

  async run(looked: readonly SignalKind[], all: readonly FoundSignal[]): Promise<boolean> {
    if (looked.length === 0) return false;
    // One at a time for each desk: two looks at once would both find the same thing new.
    await this.rows('SELECT pg_advisory_xact_lock(hashtextextended(:deskId, 42))', {});
    if (await this.isOvertaken(looked)) return false;
    const off = await this.offKinds();
    const found = new Map(all.filter((f) => !off.has(f.kind)).map((f) => [keyOf(f), f]));
    const known = await this.rows<Known>(
      `SELECT id, kind, subject, ended_at, accepted_at FROM signal_findings WHERE desk_id = :deskId AND kind IN (:looked)
         AND (ended_at IS NULL OR ended_at > :recent OR accepted_at > :accepted)`,
      {
        looked,
        recent: new Date(this.nowMs - SAME_AGAIN_MS),
        accepted: new Date(this.nowMs - ACCEPTED_DAYS * 86_400_000),
      },
    );
    const open = known.filter((k) => k.ended_at === null);
    const ended = open.filter((k) => !found.has(keyOf(k)));
    await this.end(ended);
    const accepted = new Set(known.filter((k) => k.accepted_at !== null).map(keyOf));
    const isOpen = new Set(open.map(keyOf));
    const last = new Map(known.filter((k) => k.ended_at !== null).map((k) => [keyOf(k), k.id]));
    const begun: FoundSignal[] = [];
    for (const [key, signal] of found) {
      if (accepted.has(key)) continue;
      if (isOpen.has(key)) await this.goOn(signal);
      else if (last.has(key)) await this.openAgain(last.get(key)!, signal);
      else begun.push(signal);
    }
    await this.begin(begun);
    await this.noteLooks(looked);
    await this.notify(begun);
    return begun.length + ended.length > 0;
  }

  /** Another look began later and has ended already: this one saw how things were before. */
  private async isOvertaken(looked: readonly SignalKind[]): Promise<boolean> {
    const later = await this.rows(
      `SELECT 1 FROM signal_looks WHERE desk_id = :deskId AND kind IN (:looked) AND looked_at > :now AND looked_at < :longest`,
      { looked, longest: new Date(this.nowMs + LONGEST_LOOK_MS) },
    );
    return later.length > 0;
  }

  private async offKinds(): Promise<Set<SignalKind>> {
    const [row] = await this.rows<{ off: SignalKind[] }>(
      'SELECT off_signals AS off FROM notice_settings WHERE desk_id = :deskId',
      {},
    );
    return new Set(row?.off ?? []);
  }

  private async end(ended: readonly Known[]): Promise<void> {
    if (ended.length > 0)
      await this.rows('UPDATE signal_findings SET ended_at = :now WHERE id IN (:ids)', {
        ids: ended.map((e) => e.id),
      });
  }

  private goOn({ kind, subject, name, sentence, sure }: FoundSignal): Promise<unknown> {
    return this.rows(
      `UPDATE signal_findings SET name = :name, sentence = :sentence, sure = :sure
       WHERE desk_id = :deskId AND kind = :kind AND subject = :subject AND ended_at IS NULL`,
      { kind, subject, name, sentence, sure },
    );
  }

  private openAgain(id: string, { sentence, sure }: FoundSignal): Promise<unknown> {
    return this.rows(
      'UPDATE signal_findings SET ended_at = NULL, sentence = :sentence, sure = :sure WHERE id = :id',
      { id, sentence, sure },
    );
  }

  private async begin(begun: readonly FoundSignal[]): Promise<void> {
    if (begun.length === 0) return;
    const rows = begun.map((s) => ({
      ...s,
      id: ulid(this.nowMs),
      since: new Date(s.sinceMs ?? this.nowMs).toISOString(),
    }));
    await this.rows(
      `INSERT INTO signal_findings (id, desk_id, kind, subject, name, sentence, sure, advice, to_path, since, found_at)
       SELECT s.id, :deskId, s.kind, s.subject, s.name, s.sentence, s.sure, s.advice, s."to", s.since, :now
       FROM json_to_recordset(:rows) AS s (id text, kind text, subject text, name text, sentence text, sure text,
         advice text, "to" text, since timestamptz)`,
      { rows: JSON.stringify(rows) },
    );
  }

  private async noteLooks(looked: readonly SignalKind[]): Promise<void> {
    await this.rows(
      `INSERT INTO signal_looks (desk_id, kind, looked_at) SELECT :deskId, k, :now FROM json_array_elements_text(:looked) AS k
       ON CONFLICT (desk_id, kind) DO UPDATE SET looked_at = excluded.looked_at`,
      { looked: JSON.stringify(looked) },
    );
  }

  private async notify(begun: readonly FoundSignal[]): Promise<void> {
    if (begun.length === 0) return;
    const going = await this.rows<{ kind: SignalKind }>(
      'SELECT DISTINCT kind FROM signal_findings WHERE desk_id = :deskId AND ended_at IS NULL',
      {},
    );
    const kinds = new Set(going.map((g) => g.kind));
    const [settings] = await this.rows<{ mail_to: string[]; webhook: boolean }>(
      'SELECT mail_to, webhook FROM notice_settings WHERE desk_id = :deskId',
      {},
    );
    const groups = new Map<string, FoundSignal[]>();
    for (const s of begun)
      if (!isExplained(s.kind, kinds))
        groups.set(`${s.kind} ${s.group}`, [...(groups.get(`${s.kind} ${s.group}`) ?? []), s]);
    for (const together of groups.values())
      await writeNotice(
        this.models,
        this.transaction,
        {
          deskId: this.deskId,
          watchId: null,
          ...wordsOf(together),
          mailTo: settings?.mail_to ?? [],
          webhook: settings?.webhook ?? false,
        },
        this.nowMs,
      );
  }
}

const SHOWN = 20;
function wordsOf(together: readonly FoundSignal[]): { title: string; text: string; to: string } {
  const [first] = together as readonly [FoundSignal];
  const about = together.length === 1 ? first.name : first.groupName;
  const lines = together
    .slice(0, SHOWN)
    .map((s) => `${s.sentence}${s.sure === '' ? '' : ` Tracheon is ${s.sure}.`}`);
  const more = together.length - lines.length;
  return {
    title: `${signalKindWords[first.kind].label}: ${about}`,
    text: [...lines, ...(more > 0 ? [`And ${more} more.`] : []), first.advice].join('\n'),
    to: together.length === 1 ? first.to : '/watches/signals',
  };
}

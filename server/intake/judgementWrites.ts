/**
 * What judgements write, gathered, and sent as one statement for each table. Rows travel as JSON: one text for all of them,
 * whatever their number.
 */
import { clickIdDay } from '@tracheon/core/identity';
import { dimensionFields, visitColumns } from '@tracheon/core/visits';
import { FACT_CHANGE_COLUMNS, type FactChangeRow } from '../db/factChanges.ts';
import { copyOf } from '../db/copyRows.ts';
import { databaseJson } from '../db/databaseJson.ts';
import type { Pipelined } from '../db/pools.ts';
import { distinct, type OutcomeRow } from './outcomes.ts';

export interface LedgerRow {
  desk_id: string;
  conversion_id: string;
  kind: string;
  delta_micros: string;
  currency: string;
  rate_nanos: string | null;
  base_delta_micros: string | null;
  receipt_id: string;
  partner_id: string;
}
export interface OutboxRow {
  id: string;
  desk_id: string;
  conversion_id: string;
  destination_id: string;
  campaign_id: string;
  seq: number;
  status: string;
  nth: number;
  method: string;
  url: string;
  body: string;
  /** Not sent before. */
  due_at: string;
}
export type OutboxName = Pick<OutboxRow, 'desk_id' | 'conversion_id' | 'destination_id' | 'status' | 'nth'>;
/** What is said now of a receipt that was read before. */
export type OutcomeChange = Pick<
  OutcomeRow,
  | 'desk_id'
  | 'receipt_id'
  | 'outcome'
  | 'reason'
  | 'detail'
  | 'conversion_id'
  | 'repair_key'
  | 'waiting_micros'
  | 'waiting_currency'
>;

const OUTCOME_COLUMNS = `desk_id text, receipt_id text, network_id text, received_at timestamptz, outcome text, reason text,
  detail text, click_id text, event_type_id text, owner text, is_test boolean, reading jsonb, notes jsonb, channel text,
  batch_id text, waiting_micros bigint, waiting_currency text, repair_key text, conversion_id text`;
const namesIn = (columns: string): string[] => columns.split(',').map((c) => c.trim().split(' ')[0]!);
const namesOf = (columns: string): string => namesIn(columns).join(', ');

/** Of one that has been read before, what it booked stays. */
const INSERT_REFUSALS = `INSERT INTO outcomes (${namesOf(OUTCOME_COLUMNS)})
  SELECT r.* FROM json_to_recordset($1::json) AS r (${OUTCOME_COLUMNS})
  ON CONFLICT (desk_id, receipt_id) DO UPDATE SET
    outcome = CASE WHEN outcomes.outcome = 'set_aside' AND excluded.outcome = 'repair' THEN 'set_aside' ELSE excluded.outcome END,
    reason = excluded.reason, detail = excluded.detail, click_id = excluded.click_id, notes = excluded.notes,
    waiting_micros = excluded.waiting_micros, waiting_currency = excluded.waiting_currency,
    repair_key = excluded.repair_key, judged_at = now()
  WHERE outcomes.reading IS NULL`;
const COPY_READINGS = copyOf('outcomes', namesIn(OUTCOME_COLUMNS));
const INSERT_READINGS = `INSERT INTO outcomes (${namesOf(OUTCOME_COLUMNS)})
  SELECT r.* FROM json_to_recordset($1::json) AS r (${OUTCOME_COLUMNS})
  ON CONFLICT (desk_id, receipt_id) DO UPDATE SET
    outcome = excluded.outcome, reason = excluded.reason, detail = excluded.detail, click_id = excluded.click_id,
    event_type_id = excluded.event_type_id, owner = excluded.owner, is_test = excluded.is_test, reading = excluded.reading,
    notes = excluded.notes, waiting_micros = excluded.waiting_micros, waiting_currency = excluded.waiting_currency,
    repair_key = excluded.repair_key, conversion_id = excluded.conversion_id, judged_at = now()`;
const CHANGE_OUTCOMES = `UPDATE outcomes o SET outcome = r.outcome, reason = r.reason, detail = r.detail,
    conversion_id = r.conversion_id, repair_key = r.repair_key, waiting_micros = r.waiting_micros,
    waiting_currency = r.waiting_currency, judged_at = now()
  FROM json_to_recordset($1::json) AS r (desk_id text, receipt_id text, outcome text, reason text, detail text,
    conversion_id text, repair_key text, waiting_micros bigint, waiting_currency text)
  WHERE o.desk_id = r.desk_id AND o.receipt_id = r.receipt_id`;

/** A conversion carries every dimension of its visit; its network is the one that pays. */
const CONVERSION_COLUMNS = [
  ...[
    'id',
    'desk_id',
    'owner',
    'event_type_id',
    'ident',
    'is_test',
    'transaction',
    'status',
    'payout_micros',
    'currency',
  ],
  ...[
    'base_micros',
    'converted_at',
    'flags',
    'click_id',
    'partner_id',
    'visit_at',
    'subs',
    'extras',
    'reported',
    'noted_micros',
  ],
  ...[
    'noted_currency',
    'partner_status',
    'partner_micros',
    'partner_currency',
    'partner_base_micros',
    'partner_due_at',
  ],
  ...dimensionFields.map((field) => visitColumns[field].name),
];
/** To be copied and filled: a row that grows column by column takes twice as long to make and to write. */
export const blankConversion: Readonly<Record<string, unknown>> = Object.fromEntries(
  CONVERSION_COLUMNS.map((name) => [name, null]),
);
const COPY_CONVERSIONS = copyOf('conversions', CONVERSION_COLUMNS);
const CHANGE_CONVERSIONS = `INSERT INTO conversions (${CONVERSION_COLUMNS.join(', ')})
  SELECT ${CONVERSION_COLUMNS.join(', ')} FROM json_populate_recordset(NULL::conversions, $1::json)
  ON CONFLICT (id) DO UPDATE SET ident = excluded.ident, transaction = excluded.transaction, status = excluded.status,
    payout_micros = excluded.payout_micros, currency = excluded.currency, base_micros = excluded.base_micros,
    converted_at = excluded.converted_at, flags = excluded.flags, extras = excluded.extras, noted_micros = excluded.noted_micros,
    noted_currency = excluded.noted_currency, partner_status = excluded.partner_status, partner_micros = excluded.partner_micros,
    partner_currency = excluded.partner_currency, partner_base_micros = excluded.partner_base_micros,
    partner_due_at = excluded.partner_due_at, brought_by = excluded.brought_by, offer_id = excluded.offer_id, network_id = excluded.network_id, updated_at = now()`;

const LEDGER_COLUMNS = `desk_id text, conversion_id text, kind text, delta_micros bigint, currency text, rate_nanos bigint,
  base_delta_micros bigint, receipt_id text, partner_id text`;
const COPY_LEDGER = copyOf('ledger', namesIn(LEDGER_COLUMNS));

const UNTOUCHED = `outbox.state IN ('waiting', 'on_page') AND outbox.tries = 0`;
const DELETE_OUTBOX = `DELETE FROM outbox
  USING json_to_recordset($1::json) AS r (desk_id text, conversion_id text, destination_id text, status text, nth integer)
  WHERE outbox.desk_id = r.desk_id AND outbox.conversion_id = r.conversion_id AND outbox.destination_id = r.destination_id AND outbox.status = r.status
    AND outbox.nth = r.nth AND ${UNTOUCHED}`;
/** What would come after its own successor is not sent any more: the source would read it as the newer one. */
const INSERT_OUTBOX = `INSERT INTO outbox (id, desk_id, conversion_id, destination_id, campaign_id, seq, status, nth, method, url, body,
    state, next_try_at, trying_since)
  SELECT r.id, r.desk_id, r.conversion_id, r.destination_id, r.campaign_id, r.seq, r.status, r.nth, r.method, r.url, r.body,
    CASE WHEN EXISTS (SELECT 1 FROM outbox o WHERE o.desk_id = r.desk_id AND o.conversion_id = r.conversion_id
      AND o.destination_id = r.destination_id AND o.seq >= r.seq AND (o.status, o.nth) <> (r.status, r.nth) AND o.state = 'delivered') THEN 'superseded'
      WHEN r.method = 'pixel' THEN 'on_page' ELSE 'waiting' END,
    greatest(now(), r.due_at), greatest(now(), r.due_at)
  FROM json_to_recordset($1::json) AS r (id text, desk_id text, conversion_id text, destination_id text, campaign_id text,
    seq integer, status text, nth integer, method text, url text, body text, due_at timestamptz)
  ON CONFLICT ON CONSTRAINT outbox_once DO UPDATE SET seq = excluded.seq, method = excluded.method,
    state = CASE WHEN excluded.method = 'pixel' THEN 'on_page' ELSE 'waiting' END, url = excluded.url,
    body = excluded.body, next_try_at = excluded.next_try_at, trying_since = excluded.trying_since WHERE ${UNTOUCHED}`;

const COPY_FACTS = copyOf('fact_changes', namesIn(FACT_CHANGE_COLUMNS));

/** What is judged again was passed on before. */
const INSERT_RELAYED = `INSERT INTO relayed (desk_id, receipt_id, network_id)
  SELECT r.* FROM json_to_recordset($1::json) AS r (desk_id text, receipt_id text, network_id text) ON CONFLICT DO NOTHING`;

const CLEAR_BOT_MARKS = `UPDATE visits SET is_bot = false, notes = notes || '["bot_cleared"]'
  WHERE desk_id = ANY ($1) AND day = ANY ($2::date[]) AND id = ANY ($3) AND is_bot`;

export class JudgementWrites {
  readonly refusals: OutcomeRow[] = [];
  /** Of receipts of which nothing was said before. */
  readonly newReadings: OutcomeRow[] = [];
  readonly readings: OutcomeRow[] = [];
  readonly outcomeChanges: OutcomeChange[] = [];
  readonly newConversions: Record<string, unknown>[] = [];
  readonly conversions: Record<string, unknown>[] = [];
  readonly goneConversions: string[] = [];
  readonly ledger: LedgerRow[] = [];
  readonly outbox: OutboxRow[] = [];
  readonly goneOutbox: OutboxName[] = [];
  readonly facts: FactChangeRow[] = [];
  /** Receipts that are passed on to a second address. */
  readonly relayed: { desk_id: string; receipt_id: string; network_id: string }[] = [];
  readonly noBots: { deskId: string; visitId: string }[] = [];

  /**
   * What makes room goes first: the identity of a conversion that is gone may be another's now. What is new goes by COPY, at a
   * third of what a statement with JSON costs; a row that another process has written meanwhile fails the batch, and is found
   * to be there when it is judged alone.
   */
  send(client: Pipelined): void {
    const all = (text: string, rows: readonly unknown[]): void => {
      if (rows.length > 0) client.write(text, [databaseJson(rows)]);
    };
    all(DELETE_OUTBOX, this.goneOutbox);
    if (this.goneConversions.length > 0)
      client.write('DELETE FROM conversions WHERE id = ANY ($1)', [this.goneConversions]);
    all(CHANGE_CONVERSIONS, this.conversions);
    const copies = [
      ...(this.newConversions.length > 0 ? [COPY_CONVERSIONS(this.newConversions)] : []),
      ...(this.newReadings.length > 0 ? [COPY_READINGS(this.newReadings)] : []),
      ...(this.ledger.length > 0 ? [COPY_LEDGER(this.ledger)] : []),
      ...(this.facts.length > 0 ? [COPY_FACTS(this.facts)] : []),
    ];
    if (copies.length > 0) client.copy(copies);
    all(INSERT_OUTBOX, this.outbox);
    // In one order everywhere: two batches may refuse the same ones.
    all(
      INSERT_REFUSALS,
      this.refusals.sort((a, b) => (a.receipt_id < b.receipt_id ? -1 : 1)),
    );
    all(INSERT_READINGS, this.readings);
    all(CHANGE_OUTCOMES, this.outcomeChanges);
    all(INSERT_RELAYED, this.relayed);
    if (this.noBots.length > 0)
      client.write(CLEAR_BOT_MARKS, [
        distinct(this.noBots.map((b) => b.deskId)),
        distinct(this.noBots.map((b) => clickIdDay(b.visitId))),
        this.noBots.map((b) => b.visitId),
      ]);
  }
}

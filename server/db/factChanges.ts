/** Later changes of counted facts; see migration 0017. Written in the transaction that makes the change. */

export interface FactChange {
  deskId: string;
  /** `cost`: of a load of cost entries, or of a campaign whose cost model changed. */
  kind: 'conversion' | 'bot_mark' | 'erasure' | 'cost';
  subjectId: string;
  /** Of the visit, in UTC: the one that its click ID tells. */
  day: string;
  /** null: there was none before, or is none after. */
  old: object | null;
  new: object | null;
}
/** Derived numbers that have slept longer are derived anew. */
export const FACT_CHANGE_DAYS = 7;
/** Changes of conversions are kept longer: watches are tried on the past by what was booked by then. */
export const HISTORY_DAYS = 62;
/** Where written rows lie is told for a shorter time: there is one for each written batch. */
export const FEED_BATCH_DAYS = 1;

/** A row, as JSON. */
export interface FactChangeRow {
  desk_id: string;
  kind: FactChange['kind'];
  subject_id: string;
  day: string;
  old: object | null;
  new: object | null;
}
export const FACT_CHANGE_COLUMNS = 'desk_id text, kind text, subject_id text, day date, old jsonb, new jsonb';

export const factChangeRow = (change: FactChange): FactChangeRow => ({
  desk_id: change.deskId,
  kind: change.kind,
  subject_id: change.subjectId,
  day: change.day,
  old: change.old,
  new: change.new,
});

export function factChange(change: FactChange): [text: string, values: unknown[]] {
  const row = factChangeRow(change);
  const json = (value: object | null): string | null => value && JSON.stringify(value);
  return [
    'INSERT INTO fact_changes (desk_id, kind, subject_id, day, old, new) VALUES ($1, $2, $3, $4, $5, $6)',
    [row.desk_id, row.kind, row.subject_id, row.day, json(row.old), json(row.new)],
  ];
}

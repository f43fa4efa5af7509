/** Later changes of counted facts; see migration 0017. Written in the transaction that makes the change. */
import { clickIdDay } from '@tracheon/core/identity';

export interface FactChange {
  deskId: string;
  kind: 'conversion' | 'bot_mark' | 'erasure';
  subjectId: string;
  /** Its click ID gives the day. */
  visitId: string;
  /** null: there was none before, or is none after. */
  old: object | null;
  new: object | null;
}
/** Derived numbers that have slept longer are derived anew. */
export const FACT_CHANGE_DAYS = 7;

export function factChange(change: FactChange): [text: string, values: unknown[]] {
  const json = (value: object | null): string | null => value && JSON.stringify(value);
  return [
    'INSERT INTO fact_changes (desk_id, kind, subject_id, day, old, new) VALUES ($1, $2, $3, $4, $5, $6)',
    [
      change.deskId,
      change.kind,
      change.subjectId,
      clickIdDay(change.visitId),
      json(change.old),
      json(change.new),
    ],
  ];
}

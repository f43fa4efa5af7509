/**
 * Erasure by click ID: what may point to a person goes, in one transaction; what figures are made of stays: the visit's
 * time, parts, country and device, its cost, and the conversions with their amounts. The click ID itself stays as the
 * key: by itself it says nothing of anybody. Erasing twice changes nothing. Backups made before still hold it all;
 * docs/operations.md says what to do about those.
 */
import type { Pool } from 'pg';
import { clickIdDay } from '@tracheon/core/identity';
import { dimensionOf, personalFields, visitColumns, type VisitField } from '@tracheon/core/visits';
import { factChange } from '../db/factChanges.ts';
import { dayOfReceipt } from '../db/partitions.ts';
import { inEventTransaction, type Reads } from '../db/pools.ts';

const emptied = (fields: readonly VisitField[]): string =>
  fields.map((field) => `${visitColumns[field].name} = ''`).join(', ');

const personalDimensions = (): string[] =>
  personalFields.filter((f) => dimensionOf(f)).map((f) => visitColumns[f].name);

export interface Erased {
  visits: number;
  postbacks: number;
  conversions: number;
}

export function eraseVisit(pool: Pool, deskId: string, clickId: string): Promise<Erased> {
  return inEventTransaction(pool, async (client) => {
    const day = clickIdDay(clickId);
    await client.query('DELETE FROM visit_addresses WHERE desk_id = $1 AND day = $2 AND visit_id = $3', [
      deskId,
      day,
      clickId,
    ]);
    const before = await client.query<Record<string, unknown>>(
      `SELECT ${personalDimensions().join(', ')}, subs FROM visits WHERE desk_id = $1 AND day = $2 AND id = $3 FOR UPDATE`,
      [deskId, day, clickId],
    );
    const visits = await client.query(
      `UPDATE visits SET ${emptied(personalFields)}, subs = '{}', notes = '["erased"]'
       WHERE desk_id = $1 AND day = $2 AND id = $3`,
      [deskId, day, clickId],
    );
    const followed = await eraseWhatFollowed(client, deskId, clickId);
    const [old] = before.rows;
    const erased = Object.fromEntries([...personalDimensions().map((name) => [name, '']), ['subs', {}]]);
    // Only that something was taken out, and what is there now: the values are what had to go.
    if (old && JSON.stringify(old) !== JSON.stringify(erased))
      await client.query(
        ...factChange({
          kind: 'erasure',
          deskId,
          subjectId: clickId,
          day,
          old: null,
          new: erased,
        }),
      );
    return { visits: visits.rowCount ?? 0, ...followed };
  });
}

/** A click ID of an earlier tracker, in the case in which it was carried over. */
export function eraseCarried(pool: Pool, deskId: string, foreignId: string): Promise<Erased> {
  return inEventTransaction(pool, async (client) => {
    const { rows } = await client.query<{ batch_id: string }>(
      `UPDATE carried_clicks SET source_click_id = '', subs = '{}' WHERE desk_id = $1 AND foreign_id = $2 RETURNING batch_id`,
      [deskId, foreignId],
    );
    await client.query(
      `UPDATE import_rows SET cells = '[]' WHERE batch_id = ANY ($1) AND cells @> jsonb_build_array($2::text)`,
      [rows.map((r) => r.batch_id), foreignId],
    );
    return { visits: rows.length, ...(await eraseWhatFollowed(client, deskId, foreignId)) };
  });
}

/** Postbacks and conversions of a click ID, and what sources are still to be told of them. */
async function eraseWhatFollowed(
  client: Reads,
  deskId: string,
  clickId: string,
): Promise<Omit<Erased, 'visits'>> {
  // Whatever was read out of the postbacks stays with their outcomes, so that judging again changes nothing.
  const postbacks = await client.query(
    `UPDATE receipts r SET query = '', body = '', headers = '{}', address_prefix = '' FROM outcomes o
     WHERE o.desk_id = $1 AND o.click_id = $2 AND r.desk_id = o.desk_id AND r.id = o.receipt_id
       AND ${dayOfReceipt('r.day', 'o.received_at')}`,
    [deskId, clickId],
  );
  await client.query(
    `UPDATE outcomes SET detail = '', repair_key = '', reading = reading || '{"extras": {}}' WHERE desk_id = $1 AND click_id = $2`,
    [deskId, clickId],
  );
  await client.query(
    `UPDATE import_rows SET cells = '[]' WHERE desk_id = $1 AND receipt_id IN (
       SELECT receipt_id FROM outcomes WHERE desk_id = $1 AND click_id = $2 AND channel = 'file')`,
    [deskId, clickId],
  );
  // A source that has not been told yet is not told any more: the call would carry its own click ID.
  await client.query(
    `UPDATE outbox SET url = '', body = '', state = CASE WHEN state IN ('waiting', 'on_page', 'gave_up') THEN 'superseded' ELSE state END
     WHERE desk_id = $1 AND conversion_id IN (SELECT id FROM conversions WHERE desk_id = $1 AND click_id = $2)`,
    [deskId, clickId],
  );
  const conversions = await client.query(
    `UPDATE conversions SET ${emptied(personalFields.filter((f) => dimensionOf(f)))}, extras = '{}', subs = '{}' WHERE desk_id = $1 AND click_id = $2`,
    [deskId, clickId],
  );
  await client.query(`DELETE FROM quarantine WHERE desk_id = $1 AND kind = 'visit' AND id = $2`, [
    deskId,
    clickId,
  ]);
  return { postbacks: postbacks.rowCount ?? 0, conversions: conversions.rowCount ?? 0 };
}

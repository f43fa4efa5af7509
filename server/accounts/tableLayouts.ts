/** The layouts of tables that a member keeps on a desk. */
import type { Pool } from 'pg';
import type { TableLayout } from '@tracheon/core/contract';

type Who = { deskId: string; memberId: string };

export async function layoutsOf(pool: Pool, { deskId, memberId }: Who): Promise<Record<string, TableLayout>> {
  const { rows } = await pool.query<{ table_name: string; layout: TableLayout }>(
    'SELECT table_name, layout FROM table_layouts WHERE desk_id = $1 AND member_id = $2',
    [deskId, memberId],
  );
  return Object.fromEntries(rows.map((r) => [r.table_name, r.layout]));
}

export async function keepLayout(
  pool: Pool,
  { deskId, memberId }: Who,
  table: string,
  layout: TableLayout,
): Promise<void> {
  await pool.query(
    `INSERT INTO table_layouts (desk_id, member_id, table_name, layout) VALUES ($1, $2, $3, $4)
     ON CONFLICT (desk_id, member_id, table_name) DO UPDATE SET layout = excluded.layout`,
    [deskId, memberId, table, JSON.stringify(layout)],
  );
}

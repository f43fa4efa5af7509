/** The layouts of tables that a member keeps on a desk. */
import type { TableLayout } from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';

type Who = { deskId: string; memberId: string };

export async function layoutsOf(
  models: Models,
  { deskId, memberId }: Who,
): Promise<Record<string, TableLayout>> {
  const rows = await models.TableLayout.findAll({ where: { deskId, memberId } });
  return Object.fromEntries(rows.map((r) => [r.get().tableName, r.get().layout]));
}

export async function keepLayout(
  models: Models,
  { deskId, memberId }: Who,
  tableName: string,
  layout: TableLayout,
): Promise<void> {
  await models.TableLayout.upsert({ deskId, memberId, tableName, layout });
}

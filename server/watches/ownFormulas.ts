/** Formulas of a desk's own figures. */
import type { Pool } from 'pg';
import { readFormula } from '@tracheon/core/metrics';
import type { OwnFormulas } from '@tracheon/core/metrics';

export async function ownFormulas(pool: Pool, deskId: string): Promise<OwnFormulas> {
  const { rows } = await pool.query<{ id: string; formula: string }>(
    'SELECT id, formula FROM own_figures WHERE desk_id = $1',
    [deskId],
  );
  return new Map(
    rows.flatMap(({ id, formula }) => {
      const read = readFormula(formula);
      return read.ok ? [[id, read.formula] as const] : [];
    }),
  );
}

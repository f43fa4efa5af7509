/**
 * The one way into a transaction for what the API edits. Work that the database ended because it could not go on beside
 * another transaction (a deadlock, a failed serialisation) is done again: it has left nothing behind.
 *
 * Inside, everything goes by the given transaction. A second connection taken within would, with enough calls at once, wait
 * for a connection that only its own end can free.
 */
import type { Transaction } from 'sequelize';
import type { Models } from './models.ts';
import type { Reads } from './pools.ts';

/** Heard by every process: some record of this desk has changed. */
export const CONFIGURATION_CHANNEL = 'tracheon_configuration';

/** deadlock_detected, serialization_failure (PostgreSQL, Appendix A). */
const AGAIN = new Set(['40P01', '40001']);
const MAX_TRIES = 4;

export async function inTransaction<T>(
  models: Pick<Models, 'sequelize'>,
  work: (transaction: Transaction) => Promise<T>,
): Promise<T> {
  for (let tries = 1; ; tries++)
    try {
      return await models.sequelize.transaction(work);
    } catch (error) {
      if (tries >= MAX_TRIES || !AGAIN.has(codeOf(error))) throw error;
    }
}

/** Sequelize keeps the driver's error inside its own. */
function codeOf(error: unknown): string {
  const { parent } = (error ?? {}) as { parent?: { code?: unknown } };
  return typeof parent?.code === 'string' ? parent.code : '';
}

/**
 * The desk's next version, which the records changed in this transaction are stamped with. Called last, since from here on
 * every other change of the desk waits. The notice goes out with the commit, never before it.
 */
export async function bumpConfiguration(
  models: Models,
  deskId: string,
  transaction: Transaction,
): Promise<void> {
  await models.sequelize.query(
    `WITH next AS (
       INSERT INTO configurations (desk_id, version) VALUES (:deskId, 1)
       ON CONFLICT (desk_id) DO UPDATE SET version = configurations.version + 1, changed_at = now() RETURNING version)
     UPDATE parts SET changed_in = next.version FROM next WHERE desk_id = :deskId AND changed_in IS NULL`,
    { replacements: { deskId }, transaction },
  );
  await models.sequelize.query(`SELECT pg_notify('${CONFIGURATION_CHANNEL}', :deskId)`, {
    replacements: { deskId },
    transaction,
  });
}

/** What partners are saved under: whose conversion one is must not be asked while the answer changes. */
export const partnersLock = (deskId: string): string => `partners|${deskId}`;

/** Whoever asks for the same words waits until this transaction has ended. */
export async function lockWords(models: Models, words: string, transaction: Transaction): Promise<void> {
  await models.sequelize.query('SELECT pg_advisory_xact_lock(hashtextextended(:words, 0))', {
    replacements: { words },
    transaction,
  });
}

/** The connection of a transaction of the models, for what is written in SQL within it. Sequelize tells it, and does not type it. */
export const clientOf = (transaction: Transaction): Reads =>
  (transaction as unknown as { connection: Reads }).connection;

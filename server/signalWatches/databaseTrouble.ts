/**
 * A database that is away is told of by e-mail alone, straight from this process: notices can't be kept meanwhile. Who gets
 * it lies on disk, as of the last minute in which the database answered.
 */
import type { Pool } from 'pg';
import type { RepeatedJob } from '../jobs/job.ts';
import type { SendMail } from '../notices/mailer.ts';
import { keepRecipients, readRecipients, type Recipient } from '../snapshot/keptGround.ts';

const LOOK_EVERY_MS = 5000;
const KEEP_EVERY_MS = 60_000;
/** A restart of the database is no trouble. */
const AWAY_MS = 60_000;

export interface DatabaseTroubleDeps {
  pool: Pool;
  dataFolder: string;
  mail: SendMail | null;
  isAway: () => boolean;
  deskOrigin: string;
  now: () => number;
  /** For the Message-ID. */
  newId: () => string;
}

export function databaseTroubleJob(deps: DatabaseTroubleDeps): RepeatedJob {
  const trouble = new DatabaseTrouble(deps);
  return {
    everyMs: LOOK_EVERY_MS,
    trouble: 'who is told of a database that is away could not be kept or told',
    run: () => trouble.look(),
  };
}

export class DatabaseTrouble {
  private awaySinceMs: number | null = null;
  /** Whose e-mail the mail server has taken. */
  private told: Recipient[] = [];
  private triedAtMs = -Infinity;
  private keptAtMs = -Infinity;

  constructor(private readonly deps: DatabaseTroubleDeps) {}

  async look(): Promise<void> {
    const { isAway, now } = this.deps;
    if (!isAway()) {
      this.awaySinceMs = null;
      this.triedAtMs = -Infinity;
      const told = this.told;
      this.told = [];
      await this.tell(told, 'The database answers again', 'What was kept on disk meanwhile is being loaded.');
      if (now() - this.keptAtMs >= KEEP_EVERY_MS) await this.keep();
      return;
    }
    this.awaySinceMs ??= now();
    if (now() - this.awaySinceMs < AWAY_MS || now() - this.triedAtMs < KEEP_EVERY_MS) return;
    // Whoever the mail server did not take an e-mail for is tried again in a minute.
    this.triedAtMs = now();
    const known = new Set(this.told.map((r) => r.email));
    const rest = (await readRecipients(this.deps.dataFolder)).filter((r) => !known.has(r.email));
    const taken = await this.tell(
      rest,
      'The database does not answer',
      'Visitors are still redirected, and visits and postbacks are kept on disk. Reports and changes wait. Look at the database server.',
    );
    this.told.push(...rest.filter((r) => taken.has(r.email)));
  }

  private async keep(): Promise<void> {
    const { pool, dataFolder, now } = this.deps;
    const { rows } = await pool.query<Recipient>(
      `SELECT DISTINCT m.email, d.name AS desk FROM notice_settings n JOIN desks d ON d.id = n.desk_id
       CROSS JOIN LATERAL jsonb_array_elements_text(n.mail_to) AS t (id)
       JOIN memberships s ON s.desk_id = n.desk_id AND s.member_id = t.id JOIN members m ON m.id = s.member_id
       WHERE NOT n.off_signals ? 'server_trouble' ORDER BY 1, 2`,
    );
    await keepRecipients(dataFolder, rows);
    this.keptAtMs = now();
  }

  /** One for each address, however many desks it is a member of. */
  private async tell(all: readonly Recipient[], title: string, text: string): Promise<Set<string>> {
    const taken = new Set<string>();
    const { mail, newId, deskOrigin } = this.deps;
    if (mail === null) return taken;
    for (const email of new Set(all.map((r) => r.email)))
      if (
        (
          await mail({
            messageId: `${newId()}@${new URL(deskOrigin).hostname}`,
            to: email,
            subject: `${all.find((r) => r.email === email)!.desk}: ${title}`,
            text: `${text}\n`,
          })
        ).isAccepted
      )
        taken.add(email);
    return taken;
  }
}

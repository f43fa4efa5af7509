/**
 * What this process knows of its own state: database and disk, as the last attempts found them, and what happened to
 * rows since the database went away. The source of the readiness answer, the metrics, and what browsers are told.
 */
import type { HealthNews } from '@tracheon/core/contract';
import type { Kept } from '../events/durableWriter.ts';

export const rowKinds = ['visit', 'button', 'postback'] as const;
export type RowKind = (typeof rowKinds)[number];
export type RowFate = Kept | 'unrecorded';

export class Health {
  /** True once the database has been migrated and the configuration loaded from it; stays true. */
  ready = false;
  /** Every row since the start, by what became of it. */
  readonly fates = new Map<`${RowKind} ${RowFate}`, number>();
  private database: HealthNews['database'] = 'away';
  private disk: HealthNews['disk'] = 'up';
  private since = { waiting: 0, unrecorded: 0, refused: 0 };

  constructor(private readonly onChange: (news: HealthNews) => void) {}

  databaseAnswered(): void {
    if (this.database === 'up') return;
    this.database = 'up';
    this.disk = 'up';
    this.since = { waiting: 0, unrecorded: 0, refused: 0 };
    this.tell();
  }

  databaseSilent(): void {
    if (this.database === 'away') return;
    this.database = 'away';
    this.tell();
  }

  row(kind: RowKind, fate: RowFate): void {
    const key = `${kind} ${fate}` as const;
    this.fates.set(key, (this.fates.get(key) ?? 0) + 1);
    if (fate === 'committed') return;
    if (fate === 'spooled') this.since.waiting += 1;
    if (fate === 'unrecorded') this.since[kind === 'postback' ? 'refused' : 'unrecorded'] += 1;
    if (fate === 'unrecorded') this.setDisk('failing');
    else if (fate === 'spooled') this.setDisk('up');
  }

  /** Since the start, whatever became of them. */
  rowsOf(kind: RowKind): number {
    let rows = 0;
    for (const [key, n] of this.fates) if (key.startsWith(`${kind} `)) rows += n;
    return rows;
  }

  get news(): HealthNews {
    return { database: this.database, disk: this.disk, ...this.since };
  }

  private setDisk(disk: HealthNews['disk']): void {
    if (this.disk === disk) return;
    this.disk = disk;
    this.tell();
  }

  /** Also called now and then while the database is away, since the counts go on. */
  tell(): void {
    this.onChange(this.news);
  }
}

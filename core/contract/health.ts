/** How this server stands, as open browsers hear it the moment it changes. */
export interface HealthNews {
  database: 'up' | 'away';
  /** Whether the spool could be written when it was last needed. */
  disk: 'up' | 'failing';
  /** Since the database went away: rows that wait on disk, visits sent on but kept nowhere, postbacks in answered 503. */
  waiting: number;
  unrecorded: number;
  refused: number;
}

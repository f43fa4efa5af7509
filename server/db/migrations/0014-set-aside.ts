/** What a member set aside, with the reason; unknown keys by the host under which they were called; the outbox by source. */
export const up = `
ALTER TABLE outbox DROP CONSTRAINT outbox_state_check;
ALTER TABLE outbox ADD CONSTRAINT outbox_state_check
  CHECK (state IN ('waiting','delivered','gave_up','superseded','set_aside'));
ALTER TABLE outbox ADD COLUMN set_aside_reason text NOT NULL DEFAULT '';
CREATE INDEX outbox_by_source ON outbox (source_id, next_try_at) WHERE state = 'waiting';
ALTER TABLE outcomes ADD COLUMN set_aside_reason text NOT NULL DEFAULT '';
ALTER TABLE unknown_keys ADD COLUMN host text NOT NULL DEFAULT '';
ALTER TABLE unknown_keys DROP CONSTRAINT unknown_keys_pkey;
ALTER TABLE unknown_keys ADD PRIMARY KEY (kind, key, host);
`;

export const down = `
DELETE FROM unknown_keys WHERE host <> '';
ALTER TABLE unknown_keys DROP CONSTRAINT unknown_keys_pkey;
ALTER TABLE unknown_keys ADD PRIMARY KEY (kind, key);
ALTER TABLE unknown_keys DROP COLUMN host;
UPDATE outcomes SET outcome = 'repair' WHERE outcome = 'set_aside';
ALTER TABLE outcomes DROP COLUMN set_aside_reason;
DROP INDEX outbox_by_source;
UPDATE outbox SET state = 'gave_up' WHERE state = 'set_aside';
ALTER TABLE outbox DROP COLUMN set_aside_reason;
ALTER TABLE outbox DROP CONSTRAINT outbox_state_check;
ALTER TABLE outbox ADD CONSTRAINT outbox_state_check CHECK (state IN ('waiting','delivered','gave_up','superseded'));
`;

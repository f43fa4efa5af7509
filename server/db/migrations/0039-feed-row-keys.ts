/** The rows of a run in the order in which they are counted: by key, the later of two first. */
export const up = `
ALTER TABLE feed_rows ALTER COLUMN key TYPE text COLLATE "C";
CREATE INDEX feed_rows_keys ON feed_rows (run_id, event_type_id, key, n DESC);
`;

export const down = `
DROP INDEX feed_rows_keys;
ALTER TABLE feed_rows ALTER COLUMN key TYPE text COLLATE "default";
`;

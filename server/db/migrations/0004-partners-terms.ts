/** Terms of partners: calls held for their address, keys that were rotated, what a source is told of. */
const id = `text COLLATE "C"`;

export const up = `
-- The caller's address was not on the network's list; a member may release the call.
ALTER TABLE receipts ADD COLUMN held boolean NOT NULL DEFAULT false;
-- Whether the source is told of this conversion: decided once, when it arises; null while it was told of all.
ALTER TABLE conversions ADD COLUMN told boolean;
-- Keys of networks that were rotated: calls with them are taken until then.
CREATE TABLE old_keys (
  key ${id} PRIMARY KEY,
  part_id ${id} NOT NULL REFERENCES parts(id),
  desk_id ${id} NOT NULL,
  valid_until timestamptz NOT NULL
);
CREATE INDEX old_keys_part ON old_keys (part_id);
`;

export const down = `
DROP TABLE old_keys;
ALTER TABLE conversions DROP COLUMN told;
ALTER TABLE receipts DROP COLUMN held;
`;

/** What was told with a rejection and is in no sum; receipts that wait for a transaction, found by it. */
export const up = `
ALTER TABLE conversions ADD COLUMN noted_micros bigint, ADD COLUMN noted_currency text;
CREATE INDEX outcomes_unknown_transaction ON outcomes (desk_id, network_id, detail) WHERE reason = 'unknown_transaction';
`;

export const down = `
DROP INDEX outcomes_unknown_transaction;
ALTER TABLE conversions DROP COLUMN noted_micros, DROP COLUMN noted_currency;
`;

/**
 * What partners are paid for the conversions that they brought: a status and an amount beside the revenue's, and entries of
 * the ledger, which name the partner. `partner_base_micros` is what stands in the desk's currency, on hold or approved; null while no rate is known.
 */
const kinds = (all: readonly string[]): string =>
  `ALTER TABLE ledger DROP CONSTRAINT ledger_kind_check, ADD CONSTRAINT ledger_kind_check CHECK (kind IN (${all.map((k) => `'${k}'`).join(', ')}));`;

export const up = `
${kinds(['hold', 'earn', 'partner_hold', 'partner'])}
ALTER TABLE ledger ADD COLUMN partner_id text COLLATE "C" NOT NULL DEFAULT '';
ALTER TABLE conversions ADD COLUMN partner_status text, ADD COLUMN partner_micros bigint, ADD COLUMN partner_currency text,
  ADD COLUMN partner_base_micros bigint, ADD COLUMN partner_due_at timestamptz;
CREATE INDEX conversions_partner_due ON conversions (partner_due_at) WHERE partner_due_at IS NOT NULL;
`;

export const down = `
DROP INDEX conversions_partner_due;
ALTER TABLE conversions DROP COLUMN partner_status, DROP COLUMN partner_micros, DROP COLUMN partner_currency,
  DROP COLUMN partner_base_micros, DROP COLUMN partner_due_at;
DELETE FROM ledger WHERE kind IN ('partner_hold', 'partner');
ALTER TABLE ledger DROP COLUMN partner_id;
${kinds(['hold', 'earn', 'partner'])}
`;

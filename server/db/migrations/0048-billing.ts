/** Statements to partners and advertisers: entries of the ledger, each on one of them at most; and payments to partners. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE billing_statements (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  side text NOT NULL CHECK (side IN ('partner', 'advertiser')),
  number integer NOT NULL,
  party_id ${id} NOT NULL,
  currency text NOT NULL,
  until timestamptz NOT NULL,
  total_micros bigint NOT NULL,
  carried_in_micros bigint NOT NULL,
  paid_micros bigint NOT NULL,
  carried_out_micros bigint NOT NULL,
  conversions integer NOT NULL,
  adjustments integer NOT NULL,
  adjustment_micros bigint NOT NULL,
  is_void boolean NOT NULL DEFAULT false,
  void_reason text NOT NULL DEFAULT '',
  payment_id ${id} NOT NULL DEFAULT '',
  issued_at timestamptz NOT NULL DEFAULT now(),
  issued_by ${id} NOT NULL,
  UNIQUE (desk_id, side, number)
);
CREATE INDEX billing_statements_party ON billing_statements (desk_id, side, party_id, currency, id);
-- A void statement holds none: its rows go.
CREATE TABLE billing_entries (
  ledger_id bigint PRIMARY KEY,
  statement_id ${id} NOT NULL REFERENCES billing_statements(id),
  conversion_id ${id} NOT NULL,
  delta_micros bigint NOT NULL,
  is_adjustment boolean NOT NULL
);
CREATE INDEX billing_entries_statement ON billing_entries (statement_id, conversion_id);
CREATE INDEX billing_entries_conversion ON billing_entries (conversion_id);
CREATE TABLE billing_payments (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  number integer NOT NULL,
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'approved', 'paid', 'dissolved')),
  made_at timestamptz NOT NULL DEFAULT now(),
  made_by ${id} NOT NULL,
  moved_at timestamptz NOT NULL DEFAULT now(),
  moved_by ${id} NOT NULL,
  UNIQUE (desk_id, number)
);
CREATE INDEX ledger_partner ON ledger (desk_id, partner_id, kind) WHERE partner_id <> '';
`;

export const down = `
DROP INDEX ledger_partner;
DROP TABLE billing_payments;
DROP TABLE billing_entries;
DROP TABLE billing_statements;
`;

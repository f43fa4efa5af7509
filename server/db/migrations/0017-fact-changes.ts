/**
 * Every later change of a fact that is counted, with its values before and after, in the transaction that makes it: what is
 * derived from the facts can follow exactly. Kept for seven days; what has slept longer is derived anew.
 */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE fact_changes (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  tx xid8 NOT NULL DEFAULT pg_current_xact_id(),
  desk_id ${id} NOT NULL,
  -- conversion: made, changed, removed; bot_mark: cleared; erasure: what points to a person taken out of a visit.
  kind text NOT NULL CHECK (kind IN ('conversion','bot_mark','erasure','cost')),
  -- Of the conversion, or of the visit.
  subject_id ${id} NOT NULL,
  -- The visit's day, under which it lies.
  day date NOT NULL,
  old jsonb,
  new jsonb,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX fact_changes_at ON fact_changes (at);
`;

export const down = `DROP TABLE fact_changes;`;

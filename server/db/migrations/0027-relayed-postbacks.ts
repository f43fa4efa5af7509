/** Postbacks passed on to a second address, each once it has been judged first. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE relayed (
  desk_id ${id} NOT NULL,
  receipt_id ${id} NOT NULL,
  network_id ${id} NOT NULL,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting','delivered','gave_up')),
  tries integer NOT NULL DEFAULT 0,
  next_try_at timestamptz NOT NULL DEFAULT now(),
  trying_since timestamptz NOT NULL DEFAULT now(),
  result text NOT NULL DEFAULT '',
  PRIMARY KEY (desk_id, receipt_id)
);
CREATE INDEX relayed_due ON relayed (next_try_at) WHERE state = 'waiting';
CREATE INDEX relayed_network ON relayed (desk_id, network_id, trying_since);
`;

export const down = `DROP TABLE relayed;`;

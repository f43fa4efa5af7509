/** Visits that servers have been allowed to send to offers with a visit cap, by period. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE visit_leases (
  offer_id ${id} NOT NULL REFERENCES parts(id),
  period text NOT NULL,
  starts timestamptz NOT NULL,
  taken bigint NOT NULL,
  PRIMARY KEY (offer_id, period, starts)
);
`;

export const down = `
DROP TABLE visit_leases;
`;

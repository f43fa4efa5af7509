/** How often each pairing of an automatic split is drawn, with what that was computed from. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE split_odds (
  desk_id ${id} NOT NULL REFERENCES desks(id),
  campaign_id ${id} NOT NULL REFERENCES parts(id),
  -- ID of the branch.
  way_id ${id} NOT NULL,
  computed_at timestamptz NOT NULL,
  state text NOT NULL CHECK (state IN ('warm_up', 'learned')),
  draws int NOT NULL,
  -- Pairing, visits, conversions, expected revenue, odds, chance of being the best.
  arms jsonb NOT NULL,
  PRIMARY KEY (desk_id, campaign_id, way_id)
);
`;

export const down = `
DROP TABLE split_odds;
`;

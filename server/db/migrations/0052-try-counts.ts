/** Tries that are limited, counted for all processes together. Not in the WAL: after a crash counting begins anew. */
export const up = `
CREATE UNLOGGED TABLE try_counts (
  what text COLLATE "C" NOT NULL,
  whom text COLLATE "C" NOT NULL,
  tries integer NOT NULL,
  until timestamptz NOT NULL,
  PRIMARY KEY (what, whom)
);
`;

export const down = `DROP TABLE try_counts;`;

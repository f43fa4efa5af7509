/** When each change of a conversion was booked is kept for weeks: a watch can be tried on the past by what was known then. */
export const up = `
CREATE TABLE history_since (one boolean PRIMARY KEY DEFAULT true CHECK (one), at timestamptz NOT NULL);
-- Changes from before were kept for a week only; of a database without conversions none is missing.
INSERT INTO history_since (at)
SELECT CASE WHEN EXISTS (SELECT 1 FROM conversions) THEN now() - interval '7 days' ELSE '-infinity' END;
`;

export const down = `DROP TABLE history_since;`;

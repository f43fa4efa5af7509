/** Conversions by when they changed last: servers remember whose visit has converted, and ask for what is new. */
export const up = `
CREATE INDEX conversions_updated ON conversions (updated_at);
`;

export const down = `
DROP INDEX conversions_updated;
`;

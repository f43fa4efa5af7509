/** What a desk takes for bots beside what is recognized without it. */
export const up = `
ALTER TABLE desks ADD COLUMN bot_list jsonb NOT NULL DEFAULT '{"agents": [], "addresses": []}';
`;

export const down = `
ALTER TABLE desks DROP COLUMN bot_list;
`;

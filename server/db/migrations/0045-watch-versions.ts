/** Two members who change one watch: the second one sees what the first has saved. */
export const up = `
ALTER TABLE watches ADD COLUMN version integer NOT NULL DEFAULT 1, ADD COLUMN updated_at timestamptz NOT NULL DEFAULT now();
`;

export const down = `ALTER TABLE watches DROP COLUMN version, DROP COLUMN updated_at;`;

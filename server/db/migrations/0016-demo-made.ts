/** What a demo desk was made with; null as long as it is not complete. */
export const up = `
ALTER TABLE desks ADD COLUMN demo_made jsonb;
UPDATE desks SET demo_made = '{}' WHERE is_demo;
`;

export const down = `ALTER TABLE desks DROP COLUMN demo_made;`;

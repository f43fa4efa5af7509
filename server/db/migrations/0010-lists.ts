/** What lists are sorted by, and what kind of traffic a template is for. */
export const up = `
CREATE INDEX conversions_converted ON conversions (desk_id, converted_at, id);
ALTER TABLE templates ADD COLUMN category text NOT NULL DEFAULT '';
`;

export const down = `
ALTER TABLE templates DROP COLUMN category;
DROP INDEX conversions_converted;
`;

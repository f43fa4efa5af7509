/** Partners, who send visitors to the desk's own offers: records of Parts, and whose visit and conversion each one is. */
const kinds = ['network', 'source', 'offer', 'landing-page', 'event-type', 'campaign'];
const check = (all: readonly string[]): string =>
  `ALTER TABLE parts DROP CONSTRAINT parts_kind_check, ADD CONSTRAINT parts_kind_check CHECK (kind IN (${all.map((k) => `'${k}'`).join(', ')}));`;

export const up = `
${check([...kinds, 'partner'])}
ALTER TABLE visits ADD COLUMN brought_by text COLLATE "C" NOT NULL DEFAULT '';
ALTER TABLE conversions ADD COLUMN brought_by text COLLATE "C" NOT NULL DEFAULT '';
CREATE INDEX conversions_partner ON conversions (desk_id, partner_id) WHERE partner_id <> '';
`;

export const down = `
DROP INDEX conversions_partner;
ALTER TABLE conversions DROP COLUMN brought_by;
ALTER TABLE visits DROP COLUMN brought_by;
${check(kinds)}
`;

/** Visits that a partner brought, found by the partner; no other visit is in the index. */
export const up = `
CREATE INDEX visits_partner ON visits (desk_id, brought_by, day, id) WHERE brought_by <> '';
`;

export const down = `DROP INDEX visits_partner;`;

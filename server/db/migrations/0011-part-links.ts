/** References of records as rows: who uses what is asked and guarded by keys, not by looking into every body. */
const id = `text COLLATE "C"`;
const one = (kind: string, field: string): string => `
INSERT INTO part_links (desk_id, from_id, path, to_id)
SELECT p.desk_id, p.id, '${field}', t.id FROM parts p JOIN parts t ON t.id = p.body->>'${field}'
WHERE p.kind = '${kind}';`;
/** `field`: of the objects in the list; empty where the list holds the IDs themselves. */
const many = (kind: string, list: string, field: string): string => `
INSERT INTO part_links (desk_id, from_id, path, to_id)
SELECT p.desk_id, p.id, '${list}.' || (e.n - 1)${field ? ` || '.${field}'` : ''}, t.id
FROM parts p CROSS JOIN LATERAL jsonb_array_elements(coalesce(p.body->'${list}', '[]')) WITH ORDINALITY e(v, n)
  JOIN parts t ON t.id = ${field ? `e.v->>'${field}'` : `e.v #>> '{}'`}
WHERE p.kind = '${kind}';`;

export const up = `
CREATE TABLE part_links (
  desk_id ${id} NOT NULL REFERENCES desks(id),
  from_id ${id} NOT NULL REFERENCES parts(id),
  path text NOT NULL,
  to_id ${id} NOT NULL REFERENCES parts(id),
  PRIMARY KEY (from_id, path)
);
CREATE INDEX part_links_to ON part_links (desk_id, to_id);
${one('offer', 'networkId')}
${one('offer', 'fallbackOfferId')}
${one('campaign', 'sourceId')}
${one('campaign', 'offerId')}
${one('campaign', 'landingPageId')}
${many('network', 'eventWords', 'eventTypeId')}
${many('offer', 'payouts', 'eventTypeId')}
${many('offer', 'conversionsFrom', 'eventTypeId')}
${many('source', 'reportEvents', '')}
`;

export const down = `DROP TABLE part_links;`;

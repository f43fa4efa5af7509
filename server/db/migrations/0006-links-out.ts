/** Tracking domains with paths of their own; links that were pasted into sources; impressions. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE tracking_domains (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks(id),
  -- Scheme and host, in small letters. A host belongs to one desk: its unknown keys fall back somewhere.
  origin text NOT NULL,
  host text NOT NULL UNIQUE,
  is_default boolean NOT NULL DEFAULT false,
  fallback_url text NOT NULL DEFAULT '',
  last_check jsonb,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX tracking_domains_default ON tracking_domains (desk_id) WHERE is_default;
-- An old path leads to a campaign, so that approved ads keep their links.
CREATE TABLE own_paths (
  domain_id ${id} NOT NULL REFERENCES tracking_domains(id) ON DELETE CASCADE,
  path text NOT NULL,
  campaign_id ${id} NOT NULL REFERENCES parts(id),
  PRIMARY KEY (domain_id, path)
);
-- The parameter string with which a campaign's link was pasted into its source.
CREATE TABLE pasted_links (
  campaign_id ${id} PRIMARY KEY REFERENCES parts(id),
  desk_id ${id} NOT NULL,
  query text NOT NULL,
  pasted_by ${id} NOT NULL,
  pasted_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX pasted_links_desk ON pasted_links (desk_id);
-- One counter for a campaign and quarter of an hour, and one more for each value of each named sub-ID.
CREATE TABLE impressions (
  desk_id ${id} NOT NULL,
  campaign_id ${id} NOT NULL,
  quarter timestamptz NOT NULL,
  sub text NOT NULL DEFAULT '',
  value text NOT NULL DEFAULT '',
  times bigint NOT NULL,
  PRIMARY KEY (desk_id, campaign_id, quarter, sub, value)
);
`;

export const down = `DROP TABLE impressions, pasted_links, own_paths, tracking_domains;`;

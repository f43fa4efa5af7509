/**
 * The ground: desks, members, versioned Parts and campaigns, event tables by day, receipts and what was made of
 * them, the ledger, the outbox. IDs are ULIDs in text with byte order. Event tables carry desk_id first in their
 * keys, so that a desk is a shard. Partitions are named by table and day and are made ahead by server/db/partitions.ts.
 */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE members (
  id ${id} PRIMARY KEY,
  name text NOT NULL,
  email text NOT NULL UNIQUE,
  password_hash text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE desks (
  id ${id} PRIMARY KEY,
  name text NOT NULL,
  zone text NOT NULL,
  currency char(3) NOT NULL,
  is_demo boolean NOT NULL DEFAULT false,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE memberships (
  desk_id ${id} NOT NULL REFERENCES desks(id),
  member_id ${id} NOT NULL REFERENCES members(id),
  role text NOT NULL CHECK (role IN ('viewer','editor','owner')),
  PRIMARY KEY (desk_id, member_id)
);
CREATE TABLE session (
  sid varchar NOT NULL PRIMARY KEY,
  sess json NOT NULL,
  expire timestamp(6) NOT NULL
);
CREATE INDEX session_expire ON session (expire);

-- Parts and campaigns: one table, one body per kind, checked by the schemas of core/contract on every write.
CREATE TABLE parts (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks(id),
  kind text NOT NULL CHECK (kind IN ('network','source','offer','landing-page','event-type','campaign')),
  name text NOT NULL,
  -- Wire key: globally unique; empty for kinds that are never called.
  key ${id} NOT NULL DEFAULT '',
  state text NOT NULL DEFAULT 'live' CHECK (state IN ('live','stopped','archived')),
  version integer NOT NULL DEFAULT 1,
  body jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  updated_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX parts_name ON parts (desk_id, kind, lower(name)) WHERE state <> 'archived';
CREATE UNIQUE INDEX parts_key ON parts (kind, key) WHERE key <> '';
CREATE TABLE part_versions (
  part_id ${id} NOT NULL REFERENCES parts(id),
  version integer NOT NULL,
  desk_id ${id} NOT NULL,
  body jsonb NOT NULL,
  state text NOT NULL,
  changed_by ${id},
  changed_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (part_id, version)
);
CREATE TABLE rates (
  desk_id ${id} NOT NULL REFERENCES desks(id),
  base char(3) NOT NULL,
  day date NOT NULL,
  nanos bigint NOT NULL CHECK (nanos > 0),
  PRIMARY KEY (desk_id, base, day)
);
-- One row: the number of the configuration that every process should have live.
CREATE TABLE configuration (one boolean PRIMARY KEY DEFAULT true CHECK (one), version bigint NOT NULL);
INSERT INTO configuration VALUES (true, 1);
CREATE TABLE salts (day date PRIMARY KEY, salt bytea NOT NULL);

CREATE TABLE visits (
  desk_id ${id} NOT NULL,
  day date NOT NULL,
  id ${id} NOT NULL,
  at timestamptz NOT NULL,
  campaign_id ${id} NOT NULL,
  campaign_version integer NOT NULL,
  source_id ${id} NOT NULL,
  branch text NOT NULL,
  offer_id ${id} NOT NULL,
  offer_version integer NOT NULL,
  network_id ${id} NOT NULL,
  landing_id ${id} NOT NULL DEFAULT '',
  landing_version integer NOT NULL DEFAULT 0,
  country text NOT NULL, region text NOT NULL, city text NOT NULL,
  isp text NOT NULL, connection text NOT NULL, language text NOT NULL,
  device text NOT NULL, device_model text NOT NULL,
  os text NOT NULL, os_version text NOT NULL,
  browser text NOT NULL, browser_version text NOT NULL,
  referrer_host text NOT NULL,
  is_bot boolean NOT NULL, is_repeat boolean NOT NULL, is_unique boolean NOT NULL, is_test boolean NOT NULL,
  guessed boolean NOT NULL,
  visitor_hash text NOT NULL,
  cost_micros bigint,
  cost_currency text NOT NULL,
  source_click_id text NOT NULL,
  subs jsonb NOT NULL,
  notes jsonb NOT NULL,
  raw_query text NOT NULL,
  address_prefix text NOT NULL,
  tx xid8 NOT NULL DEFAULT pg_current_xact_id(),
  PRIMARY KEY (desk_id, day, id)
) PARTITION BY RANGE (day);
CREATE INDEX visits_campaign ON visits (desk_id, campaign_id, at);

CREATE TABLE visit_addresses (
  desk_id ${id} NOT NULL,
  day date NOT NULL,
  visit_id ${id} NOT NULL,
  address text NOT NULL,
  user_agent text NOT NULL,
  PRIMARY KEY (desk_id, day, visit_id)
) PARTITION BY RANGE (day);

CREATE TABLE button_clicks (
  desk_id ${id} NOT NULL,
  day date NOT NULL,
  visit_id ${id} NOT NULL,
  n smallint NOT NULL,
  id ${id} NOT NULL,
  at timestamptz NOT NULL,
  offer_id ${id} NOT NULL,
  tx xid8 NOT NULL DEFAULT pg_current_xact_id(),
  PRIMARY KEY (desk_id, day, visit_id, n, id)
) PARTITION BY RANGE (day);

CREATE TABLE receipts (
  desk_id ${id} NOT NULL,
  day date NOT NULL,
  id ${id} NOT NULL,
  received_at timestamptz NOT NULL,
  network_id ${id} NOT NULL,
  method text NOT NULL,
  path text NOT NULL,
  query text NOT NULL,
  body text NOT NULL,
  content_type text NOT NULL,
  headers jsonb NOT NULL,
  address_prefix text NOT NULL,
  tx xid8 NOT NULL DEFAULT pg_current_xact_id(),
  PRIMARY KEY (desk_id, day, id)
) PARTITION BY RANGE (day);

-- What was made of a receipt. The reading (readable receipts only) is what the fold works on, now and on replay.
CREATE TABLE outcomes (
  desk_id ${id} NOT NULL,
  receipt_id ${id} NOT NULL,
  network_id ${id} NOT NULL,
  received_at timestamptz NOT NULL,
  judged_at timestamptz NOT NULL DEFAULT now(),
  outcome text NOT NULL,
  reason text NOT NULL,
  detail text NOT NULL DEFAULT '',
  click_id ${id} NOT NULL DEFAULT '',
  event_type_id ${id} NOT NULL DEFAULT '',
  -- The owner by which the fold gathers its receipts: the visit's click ID.
  owner ${id} NOT NULL DEFAULT '',
  is_test boolean NOT NULL DEFAULT false,
  reading jsonb,
  notes jsonb NOT NULL DEFAULT '[]',
  conversion_id ${id} NOT NULL DEFAULT '',
  PRIMARY KEY (desk_id, receipt_id)
);
CREATE INDEX outcomes_owner ON outcomes (desk_id, owner, event_type_id) WHERE owner <> '';
CREATE INDEX outcomes_unknown_click ON outcomes (received_at) WHERE reason = 'unknown_click';
CREATE INDEX outcomes_kind ON outcomes (desk_id, outcome, receipt_id);

-- The projection of the fold. Not partitioned, so that the identity can be unique.
CREATE TABLE conversions (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  owner ${id} NOT NULL,
  event_type_id ${id} NOT NULL,
  ident text COLLATE "C" NOT NULL,
  is_test boolean NOT NULL,
  transaction text COLLATE "C" NOT NULL DEFAULT '',
  status text NOT NULL,
  payout_micros bigint NOT NULL,
  currency text NOT NULL,
  -- What stands on hold or earned, in the desk's currency; null while no rate is known.
  base_micros bigint,
  converted_at timestamptz NOT NULL,
  flags jsonb NOT NULL DEFAULT '[]',
  click_id ${id} NOT NULL,
  visit_at timestamptz NOT NULL,
  campaign_id ${id} NOT NULL,
  source_id ${id} NOT NULL,
  offer_id ${id} NOT NULL,
  network_id ${id} NOT NULL,
  landing_id ${id} NOT NULL DEFAULT '',
  branch text NOT NULL DEFAULT '',
  country text NOT NULL DEFAULT '',
  device text NOT NULL DEFAULT '',
  os text NOT NULL DEFAULT '',
  browser text NOT NULL DEFAULT '',
  subs jsonb NOT NULL DEFAULT '{}',
  extras jsonb NOT NULL DEFAULT '{}',
  created_at timestamptz NOT NULL DEFAULT now(),
  updated_at timestamptz NOT NULL DEFAULT now(),
  CONSTRAINT conversions_identity UNIQUE NULLS NOT DISTINCT (desk_id, owner, event_type_id, ident, is_test)
);
CREATE INDEX conversions_campaign ON conversions (desk_id, campaign_id, visit_at);
CREATE INDEX conversions_time ON conversions (desk_id, id);
CREATE INDEX conversions_transaction ON conversions (desk_id, network_id, transaction) WHERE transaction <> '';

-- Never edited, never dropped. base_* is in the desk's currency; null while no rate was known.
CREATE TABLE ledger (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  desk_id ${id} NOT NULL,
  conversion_id ${id} NOT NULL,
  kind text NOT NULL CHECK (kind IN ('hold','earn','partner')),
  delta_micros bigint NOT NULL,
  currency text NOT NULL,
  rate_nanos bigint,
  base_delta_micros bigint,
  receipt_id ${id} NOT NULL,
  booked_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ledger_conversion ON ledger (desk_id, conversion_id);

CREATE TABLE outbox (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  conversion_id ${id} NOT NULL,
  source_id ${id} NOT NULL,
  campaign_id ${id} NOT NULL,
  seq integer NOT NULL,
  status text NOT NULL,
  url text NOT NULL,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting','delivered','parked','overtaken')),
  tries integer NOT NULL DEFAULT 0,
  next_try_at timestamptz NOT NULL DEFAULT now(),
  created_at timestamptz NOT NULL DEFAULT now(),
  -- Giving up is counted from here: from its making, or from when a member had it tried again.
  trying_since timestamptz NOT NULL DEFAULT now(),
  delivered_at timestamptz,
  CONSTRAINT outbox_once UNIQUE (desk_id, conversion_id, status)
);
CREATE INDEX outbox_due ON outbox (next_try_at) WHERE state = 'waiting';
CREATE INDEX outbox_list ON outbox (desk_id, id);
CREATE TABLE attempts (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  outbox_id ${id} NOT NULL REFERENCES outbox(id),
  at timestamptz NOT NULL,
  result text NOT NULL,
  http_status integer,
  took_ms integer NOT NULL
);
CREATE INDEX attempts_outbox ON attempts (outbox_id);
-- Rows that the event tables will never take, whole, with the reason.
CREATE TABLE quarantine (
  kind text NOT NULL,
  id ${id} NOT NULL,
  desk_id ${id} NOT NULL,
  why text NOT NULL,
  row jsonb NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (kind, id)
);
-- Calls with a key that nobody has: counted per key, bounded by the writer.
CREATE TABLE unknown_keys (
  kind text NOT NULL,
  key text NOT NULL,
  times bigint NOT NULL DEFAULT 1,
  last_at timestamptz NOT NULL DEFAULT now(),
  last_country text NOT NULL DEFAULT '',
  PRIMARY KEY (kind, key)
);
`;

export const down = `
DROP TABLE quarantine, unknown_keys, attempts, outbox, ledger, conversions, outcomes, receipts, button_clicks, visit_addresses,
  visits, salts, configuration, rates, part_versions, parts, session, memberships, desks, members;
`;

/** A visit's fate apart from its branch, and the columns of routing; conversions carry every dimension of their visit. */
const id = `text COLLATE "C"`;

const copied = ['region', 'city', 'isp', 'connection', 'language', 'device_model', 'os_version'];
copied.push('browser_version', 'referrer_host', 'account_id', 'ad_format', 'bot_reason', 'pairing_id');

export const up = `
ALTER TABLE visits RENAME COLUMN branch TO branch_id;
ALTER TABLE visits
  ADD COLUMN pairing_id ${id} NOT NULL DEFAULT 'only',
  ADD COLUMN account_id text NOT NULL DEFAULT '',
  ADD COLUMN ad_format text NOT NULL DEFAULT '',
  ADD COLUMN bot_reason text NOT NULL DEFAULT '',
  ADD COLUMN fate text NOT NULL DEFAULT 'sent'
    CHECK (fate IN ('sent','offer_fallback','campaign_fallback','desk_fallback','paused','no_offer'));
UPDATE visits SET fate = 'paused', branch_id = 'otherwise', notes = notes || '["sent_nowhere"]' WHERE branch_id = 'paused';
UPDATE visits SET fate = 'offer_fallback', branch_id = 'otherwise' WHERE branch_id = 'fallback';
UPDATE visits SET bot_reason = 'agent' WHERE is_bot;
ALTER TABLE conversions RENAME COLUMN branch TO branch_id;
ALTER TABLE conversions
  ${copied.map((name) => `ADD COLUMN ${name} text NOT NULL DEFAULT ''`).join(',\n  ')},
  ADD COLUMN fate text NOT NULL DEFAULT 'sent';
UPDATE conversions c SET fate = v.fate, branch_id = v.branch_id, ${copied.map((name) => `${name} = v.${name}`).join(', ')}
  FROM visits v WHERE v.desk_id = c.desk_id AND v.day = (c.visit_at AT TIME ZONE 'UTC')::date AND v.id = c.click_id;
-- What stood where the button's number belongs, when it was none of the page.
ALTER TABLE button_clicks ADD COLUMN told text NOT NULL DEFAULT '';
ALTER TABLE desks ADD COLUMN fallback_url text NOT NULL DEFAULT '';
`;

export const down = `
ALTER TABLE desks DROP COLUMN fallback_url;
ALTER TABLE button_clicks DROP COLUMN told;
ALTER TABLE conversions DROP COLUMN fate, ${copied.map((name) => `DROP COLUMN ${name}`).join(', ')};
ALTER TABLE conversions RENAME COLUMN branch_id TO branch;
UPDATE visits SET branch_id = 'paused' WHERE fate = 'paused';
UPDATE visits SET branch_id = 'fallback' WHERE fate LIKE '%fallback' OR fate = 'no_offer';
ALTER TABLE visits DROP COLUMN fate, DROP COLUMN bot_reason, DROP COLUMN ad_format, DROP COLUMN account_id, DROP COLUMN pairing_id;
ALTER TABLE visits RENAME COLUMN branch_id TO branch;
`;

/**
 * The partner page: people who sign in for partners, with sessions of their own, and which partners may promote which offers.
 * `offer_access_periods` is never edited but for its end: whether a partner had access at the time of a visit.
 */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE partner_users (
  id ${id} PRIMARY KEY,
  email text NOT NULL UNIQUE,
  name text NOT NULL,
  -- null until a password is chosen.
  password_hash text,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE partner_accesses (
  id ${id} PRIMARY KEY,
  user_id ${id} NOT NULL REFERENCES partner_users(id),
  desk_id ${id} NOT NULL REFERENCES desks(id),
  partner_id ${id} NOT NULL,
  added_at timestamptz NOT NULL DEFAULT now(),
  added_by ${id} NOT NULL,
  last_sign_in timestamptz,
  UNIQUE (user_id, partner_id)
);
CREATE INDEX partner_accesses_partner ON partner_accesses (desk_id, partner_id);
CREATE TABLE partner_password_links (
  hash bytea PRIMARY KEY,
  user_id ${id} NOT NULL REFERENCES partner_users(id) ON DELETE CASCADE,
  expires_at timestamptz NOT NULL
);
CREATE TABLE partner_session (
  sid varchar PRIMARY KEY,
  sess json NOT NULL,
  expire timestamp(6) NOT NULL
);
CREATE INDEX partner_session_expire ON partner_session (expire);
CREATE INDEX partner_session_user ON partner_session ((sess->>'userId'));
CREATE TABLE offer_accesses (
  desk_id ${id} NOT NULL REFERENCES desks(id),
  offer_id ${id} NOT NULL,
  partner_id ${id} NOT NULL,
  -- null: terms were accepted, and nothing was asked for or decided.
  state text CHECK (state IN ('asked', 'approved', 'refused', 'ended')),
  note text NOT NULL DEFAULT '',
  asked_at timestamptz,
  asked_by ${id} NOT NULL DEFAULT '',
  reason text NOT NULL DEFAULT '',
  decided_at timestamptz,
  decided_by ${id} NOT NULL DEFAULT '',
  -- The terms as they were accepted, whole: what was agreed on must be there to be shown.
  terms text NOT NULL DEFAULT '',
  terms_accepted_at timestamptz,
  terms_accepted_by ${id} NOT NULL DEFAULT '',
  PRIMARY KEY (desk_id, offer_id, partner_id)
);
CREATE INDEX offer_accesses_partner ON offer_accesses (desk_id, partner_id);
CREATE TABLE offer_access_periods (
  desk_id ${id} NOT NULL,
  offer_id ${id} NOT NULL,
  partner_id ${id} NOT NULL,
  begins timestamptz NOT NULL,
  ends timestamptz,
  PRIMARY KEY (desk_id, offer_id, partner_id, begins)
);
CREATE INDEX conversions_brought_by ON conversions (desk_id, brought_by, converted_at) WHERE brought_by <> '';
`;

export const down = `
DROP INDEX conversions_brought_by;
DROP TABLE offer_access_periods, offer_accesses, partner_session, partner_password_links, partner_accesses, partner_users;
`;

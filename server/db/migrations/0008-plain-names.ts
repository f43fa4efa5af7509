/** Stored names in the product's own plain words: states, columns, and the keys of the records' bodies. */

const rename = (body: string, renames: [from: string, to: string][]): string =>
  renames.reduce(
    (text, [from, to]) =>
      `(CASE WHEN ${body} ? '${from}' THEN (${text}) - '${from}' || jsonb_build_object('${to}', ${body}->'${from}') ELSE ${text} END)`,
    body,
  );

const keys: Record<string, [from: string, to: string][]> = {
  source: [
    ['macroShape', 'macroStyle'],
    ['tellStatuses', 'reportStatuses'],
    ['tellEvents', 'reportEvents'],
    ['tellShare', 'reportedShare'],
    ['tellPayout', 'reportPayout'],
  ],
  network: [['macroShape', 'macroStyle']],
  offer: [['truths', 'conversionsFrom']],
};
const turned = (pairs: [string, string][]): [string, string][] => pairs.map(([a, b]) => [b, a]);

/** Bodies lie in the records, their versions and the templates. */
function renameKeys(direction: (pairs: [string, string][]) => [string, string][]): string {
  return Object.entries(keys)
    .flatMap(([kind, pairs]) => {
      const set = `SET body = ${rename('body', direction(pairs))}`;
      return [
        `UPDATE parts ${set} WHERE kind = '${kind}';`,
        `UPDATE part_versions ${set} WHERE part_id IN (SELECT id FROM parts WHERE kind = '${kind}');`,
        `UPDATE templates ${set} WHERE kind = '${kind}';`,
      ];
    })
    .join('\n');
}

/** An offer's own state, and the channel of its conversions. */
function renameOfferValues(state: [from: string, to: string], channel: [from: string, to: string]): string {
  const set = `SET body = CASE WHEN body->>'sending' = '${state[0]}' THEN body || '{"sending":"${state[1]}"}' ELSE body END`;
  const channels = `SET body = jsonb_set(body, '{conversionsFrom}',
    (SELECT coalesce(jsonb_agg(CASE WHEN c->>'channel' = '${channel[0]}' THEN c || '{"channel":"${channel[1]}"}' ELSE c END), '[]')
     FROM jsonb_array_elements(body->'conversionsFrom') c))`;
  const offers = `part_id IN (SELECT id FROM parts WHERE kind = 'offer')`;
  return `
UPDATE parts ${set} WHERE kind = 'offer';
UPDATE part_versions ${set} WHERE ${offers};
UPDATE parts ${channels} WHERE kind = 'offer' AND body ? 'conversionsFrom';
UPDATE part_versions ${channels} WHERE ${offers} AND body ? 'conversionsFrom';`;
}

export const up = `
ALTER TABLE parts DROP CONSTRAINT parts_state_check;
UPDATE parts SET state = 'paused' WHERE state = 'stopped';
UPDATE part_versions SET state = 'paused' WHERE state = 'stopped';
ALTER TABLE parts ADD CONSTRAINT parts_state_check CHECK (state IN ('live','paused','archived'));
ALTER TABLE outbox DROP CONSTRAINT outbox_state_check;
UPDATE outbox SET state = CASE state WHEN 'parked' THEN 'gave_up' ELSE 'superseded' END WHERE state IN ('parked','overtaken');
ALTER TABLE outbox ADD CONSTRAINT outbox_state_check CHECK (state IN ('waiting','delivered','gave_up','superseded'));
ALTER TABLE unrecorded DROP CONSTRAINT unrecorded_kind_check;
UPDATE unrecorded SET kind = 'postback' WHERE kind = 'call';
ALTER TABLE unrecorded ADD CONSTRAINT unrecorded_kind_check CHECK (kind IN ('visit','button','postback'));
UPDATE outcomes SET reason = 'other_channel' WHERE reason = 'other_truth';
ALTER TABLE conversions RENAME COLUMN told TO reported;
ALTER TABLE told_tests RENAME TO reported_tests;
${renameKeys((pairs) => pairs)}
${renameOfferValues(['stopped', 'paused'], ['calls', 'postbacks'])}
-- Answers kept for repeated requests have the old names; they are good for a day only.
DELETE FROM idempotent_calls;
`;

export const down = `
${renameOfferValues(['paused', 'stopped'], ['postbacks', 'calls'])}
${renameKeys(turned)}
ALTER TABLE reported_tests RENAME TO told_tests;
ALTER TABLE conversions RENAME COLUMN reported TO told;
UPDATE outcomes SET reason = 'other_truth' WHERE reason = 'other_channel';
ALTER TABLE unrecorded DROP CONSTRAINT unrecorded_kind_check;
UPDATE unrecorded SET kind = 'call' WHERE kind = 'postback';
ALTER TABLE unrecorded ADD CONSTRAINT unrecorded_kind_check CHECK (kind IN ('visit','button','call'));
ALTER TABLE outbox DROP CONSTRAINT outbox_state_check;
UPDATE outbox SET state = CASE state WHEN 'gave_up' THEN 'parked' ELSE 'overtaken' END WHERE state IN ('gave_up','superseded');
ALTER TABLE outbox ADD CONSTRAINT outbox_state_check CHECK (state IN ('waiting','delivered','parked','overtaken'));
ALTER TABLE parts DROP CONSTRAINT parts_state_check;
UPDATE part_versions SET state = 'stopped' WHERE state = 'paused';
UPDATE parts SET state = 'stopped' WHERE state = 'paused';
ALTER TABLE parts ADD CONSTRAINT parts_state_check CHECK (state IN ('live','stopped','archived'));
`;

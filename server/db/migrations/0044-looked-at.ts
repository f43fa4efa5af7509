/** When an offer's page was looked at last stands with the look of its signal watch: `signal_looks`. */
export const up = `ALTER TABLE offer_looks DROP COLUMN looked_at;`;

export const down = `ALTER TABLE offer_looks ADD COLUMN looked_at timestamptz NOT NULL DEFAULT now();`;

/** The sweep of receipts that were never judged reads them by the transaction that wrote them, each once. */
export const up = `
CREATE INDEX receipts_tx ON receipts (tx);
`;

export const down = `DROP INDEX receipts_tx;`;

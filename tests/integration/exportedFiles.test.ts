/** Files of Numbers, read by programs that have nothing to do with how they were written. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from '@jest/globals';
import { DuckDBInstance } from '@duckdb/node-api';
import type { Figures } from '@tracheon/core/contract';
import { asParquet, asXlsx, MAX_XLSX_ROWS } from '../../web/features/numbers/exportFiles.ts';
import { readXlsx } from '../../server/imports/readXlsx.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-exported-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const by = ['sub_site', 'weekday'];
const row = (site: string, profitMicros: string | null, visits: number) => ({
  values: [site, '6'],
  names: [site, '6'],
  figures: { profitMicros, visits, cr: 0.25, spentMicros: '9007199254740993' } as Figures,
  events: [],
  before: null,
  verdict: null,
});
const exported = {
  currency: 'EUR',
  rows: [row('=1+1', '-1500001', 12), row('', null, 3), row('moss “& fern”', '2000000', 7)],
};

it('XLSX has names, numbers as numbers, texts as texts, and nothing where a figure is empty', async () => {
  const rows: string[][] = [];
  for await (const cells of readXlsx(Buffer.from(await (await asXlsx(by, exported)).arrayBuffer())))
    rows.push(cells);
  const [head, ...all] = rows;
  const at = (label: string): number => head!.indexOf(label);
  expect(head!.slice(0, 3)).toEqual(['Sub-ID site', 'Weekday', 'Profit, EUR']);
  expect(all.map((r) => [r[0] ?? '', r[1], r[2] ?? '', r[at('Visits')]])).toEqual([
    ['=1+1', 'Saturday', '-1.500001', '12'],
    ['', 'Saturday', '', '3'],
    ['moss “& fern”', 'Saturday', '2', '7'],
  ]);
  const tooMany = { ...exported, rows: new Array(MAX_XLSX_ROWS + 1).fill(exported.rows[0]) };
  await expect(asXlsx(by, tooMany as typeof exported)).rejects.toThrow('Choose CSV or Parquet');
});

it('Parquet has values beside names, and amounts to the micro-unit', async () => {
  const file = join(folder, 'rows.parquet');
  writeFileSync(file, Buffer.from(await asParquet(by, exported)));
  const connection = await (await DuckDBInstance.create()).connect();
  const reader = await connection.runAndReadAll(
    `SELECT sub_site, weekday_name, profit::VARCHAR, spent::VARCHAR, visits, cr, earned FROM '${file}'`,
  );
  expect(reader.getRowsJS()).toEqual([
    ['=1+1', '6', '-1.500001', '9007199254.740993', 12, 0.25, null],
    ['', '6', null, '9007199254.740993', 3, 0.25, null],
    ['moss “& fern”', '6', '2.000000', '9007199254.740993', 7, 0.25, null],
  ]);
  connection.closeSync();
});

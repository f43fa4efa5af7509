import express from 'express';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterEach, expect, it } from '@jest/globals';
import { bill, SPEND_KEY, spendRoutes, type Spend } from './spend.ts';

let server: Server | null = null;
afterEach(() => void server?.close());

const sent = (day: string, location = 'https://shop.example/') => ({
  at: Date.parse(`${day}T12:00:00Z`),
  url: '',
  clickId: '',
  status: 302,
  location,
  bought: false,
});

it('bills what arrived, by day, campaign and site, and tells it to who has the key', async () => {
  const spend: Spend = {};
  bill(spend, 'Kites', 'a.example', sent('2026-11-20'), 0.05);
  bill(spend, 'Kites', 'a.example', sent('2026-11-20'), 0.03);
  bill(spend, 'Jars', 'b.example', sent('2026-11-20'), 0.1);
  bill(spend, 'Jars', 'b.example', sent('2026-11-20', ''), 0.1);
  bill(spend, 'Jars', 'b.example', sent('2026-11-21'), 0.2);
  const app = express();
  spendRoutes(app, () => spend);
  await new Promise<void>((done) => (server = app.listen(0, '127.0.0.1', () => done())));
  const origin = `http://127.0.0.1:${(server!.address() as AddressInfo).port}`;
  const asked = await fetch(`${origin}/api/spend?date=2026-11-20&key=${SPEND_KEY}`);
  expect(await asked.json()).toEqual({
    date: '2026-11-20',
    total: '0.1692',
    rows: [
      { ad_campaign: 'Kites', placement: { site: 'a.example' }, spend: '0.0752', currency: 'EUR' },
      { ad_campaign: 'Jars', placement: { site: 'b.example' }, spend: '0.0940', currency: 'EUR' },
    ],
  });
  expect((await fetch(`${origin}/api/spend?date=2026-11-20&key=wrong`)).status).toBe(403);
});

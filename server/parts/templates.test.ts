import { readFileSync, writeFileSync } from 'node:fs';
import { expect, it } from '@jest/globals';
import {
  macroStyles,
  networkInput,
  sourceInput,
  type NetworkInput,
  type SourceInput,
} from '@tracheon/core/contract';
import { checkLink, postbackUrl, trackingLink } from '@tracheon/core/links';
import { templateSchema } from '../http/openApi.ts';
import { shippedTemplates } from './templates.ts';

const FILE = 'templates/template.schema.json';
const all = shippedTemplates();
const sources = all.filter((t) => t.kind === 'source').map((t) => sourceInput.parse(t.body));
const networks = all.filter((t) => t.kind === 'network').map((t) => networkInput.parse(t.body));

it('the published schema is the one that templates are checked by', () => {
  // Written anew when asked for: WRITE_SCHEMA=1 npm test.
  if (process.env.WRITE_SCHEMA) writeFileSync(FILE, `${JSON.stringify(templateSchema(), null, 2)}\n`);
  expect(JSON.parse(readFileSync(FILE, 'utf8'))).toEqual(templateSchema());
});

it('there is one for each macro shape, and for each habit', () => {
  expect(sources.length).toBeGreaterThanOrEqual(8);
  expect(networks.length).toBeGreaterThanOrEqual(6);
  const shapes = new Set([...sources, ...networks].map((b: SourceInput | NetworkInput) => b.macroStyle));
  expect([...shapes].sort()).toEqual([...macroStyles].sort());
  const has = (holds: (n: NetworkInput) => boolean): boolean => networks.some(holds);
  expect([
    has((n) => n.fields.status.macro !== ''),
    has((n) => n.fields.status.macro === '' && n.noStatusMeans === 'approved'),
    has((n) => n.relation === 'direct'),
    has((n) => n.subParameters.some((p) => p.demanded)),
    has((n) => n.clickIdLimit === 32),
    sources.some((s) => s.accounts.length > 1),
    sources.some((s) => s.parameters.length >= 10),
  ]).toEqual(Array<boolean>(7).fill(true));
});

it('every link in them is free of findings', () => {
  for (const s of sources) {
    const link = trackingLink('https://t.example', 'k', s);
    expect([s.name, checkLink(link, { expander: 'they', place: 'visit', shape: s.macroStyle })]).toEqual([
      s.name,
      [],
    ]);
    for (const url of [s.postbackUrl, ...s.accounts.map((a) => a.postbackUrl)].filter(Boolean))
      expect([
        s.name,
        checkLink(url, { expander: 'we', place: 'conversion', needs: 'source_click_id' }),
      ]).toEqual([s.name, []]);
  }
  for (const n of networks) {
    const url = postbackUrl('https://t.example', 'k', n);
    expect([n.name, checkLink(url, { expander: 'they', place: 'conversion', shape: n.macroStyle })]).toEqual([
      n.name,
      [],
    ]);
  }
});

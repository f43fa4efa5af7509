import { afterEach, expect, it } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import { checkLink } from '@tracheon/core/links';
import { mounted } from '../../tests/mounting.ts';
import FindingsList from './FindingsList.vue';

let list: VueWrapper;
afterEach(() => list.unmount());

it('shows what is wrong with a link, each with its fix, and hands the fix on', async () => {
  const link = 'https://go.larkspur.example/o?aff_ref={clickid}&site={ sub_site }';
  const findings = checkLink(link, { expander: 'we', place: 'visit' });
  expect(findings.length).toBeGreaterThan(1);
  list = mounted(FindingsList, { props: { findings } });
  expect(list.findAll('li').map((li) => li.find('span').text())).toEqual(findings.map((f) => f.sentence));
  const fixable = findings.filter((f) => f.fix);
  expect(fixable.length).toBeGreaterThan(0);
  await list.findAll('button')[0]!.trigger('click');
  expect(list.emitted('fix')).toEqual([[fixable[0]]]);
});

it('is not there when nothing is wrong', () => {
  list = mounted(FindingsList, { props: { findings: [] } });
  expect(list.find('ul').exists()).toBe(false);
});

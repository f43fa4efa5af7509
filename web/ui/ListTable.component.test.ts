import { afterEach, describe, expect, it, jest } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import { defineComponent, nextTick } from 'vue';
import { mounted } from '../../tests/mounting.ts';
import ListTable from './ListTable.vue';
import { tableLayoutsKey } from './tableColumns.ts';

interface Row {
  id: string;
  name: string;
  visits: number;
}
const rows: Row[] = [
  { id: 'a', name: 'Kites', visits: 30 },
  { id: 'b', name: 'Stargazing', visits: 5 },
  { id: 'c', name: 'Terrarium', visits: 12 },
];
const columns = [
  { key: 'name', label: 'Name', sort: (r: Row) => r.name },
  { key: 'visits', label: 'Visits', num: true, sort: (r: Row) => r.visits },
];
let table: VueWrapper;
const open = (props: object = {}): VueWrapper =>
  (table = mounted(ListTable, {
    props: { rows, columns, label: 'Campaigns', chooseAs: (r: Row) => r.name, ...props },
    slots: {
      name: '<template #name="{ row }">{{ row.name }}</template>',
      visits: '<template #visits="{ row }">{{ row.visits }}</template>',
    },
  }));
afterEach(() => table.unmount());

const names = (): string[] => table.findAll('tbody tr').map((tr) => tr.findAll('td').at(1)!.text());
const header = (word: string) => table.findAll('th').find((th) => th.text().includes(word))!;
const boxOf = (name: string) => table.find(`input[aria-label="Choose ${name}"]`);
const chosen = (): string[] => (table.emitted('update:chosen')?.at(-1)?.[0] as string[]) ?? [];

describe('sorting', () => {
  it('numbers from the largest down first, then up; the header says so', async () => {
    open();
    await header('Visits').trigger('click');
    expect(names()).toEqual(['Kites', 'Terrarium', 'Stargazing']);
    expect(header('Visits').attributes('aria-sort')).toBe('descending');
    await header('Visits').trigger('click');
    expect(names()).toEqual(['Stargazing', 'Terrarium', 'Kites']);
    expect(header('Visits').attributes('aria-sort')).toBe('ascending');
  });
  it('is left to the server where the server has more rows than it sent', async () => {
    open({ sortsOnServer: true });
    await header('Visits').trigger('click');
    expect(names()).toEqual(['Kites', 'Stargazing', 'Terrarium']);
    expect(table.emitted('sort')).toEqual([['-visits']]);
  });
});

describe('loading', () => {
  const bar = () => table.find('[role="progressbar"]');
  it('is shown over the rows that are there already, and is gone when the new ones are', async () => {
    open({ state: 'loading' });
    expect(names()).toEqual(['Kites', 'Stargazing', 'Terrarium']);
    expect(bar().attributes('aria-label')).toBe('Loading');
    await table.setProps({ state: 'ready' });
    expect(bar().exists()).toBe(false);
  });
});

describe('drawing', () => {
  it('draws each cell once, and again only when something of it changes', async () => {
    let drawn = 0;
    const host = defineComponent({
      components: { ListTable },
      props: { shown: { type: Array, default: () => columns }, title: { type: String, default: '' } },
      setup: () => ({ rows, count: (text: string) => ((drawn += 1), text) }),
      template: `<p>{{ title }}</p><ListTable :rows="rows" :columns="shown.map((c) => ({ ...c }))" label="Campaigns" :pick="() => 0"
        :text="(row) => row.name" :row-key="(row) => row.id">
        <template #name="{ row }">{{ count(row.name) }}</template>
        <template #visits="{ row }">{{ row.visits }}</template></ListTable>`,
    });
    table = mounted(host);
    await nextTick();
    await nextTick();
    expect(table.findAll('tbody td').map((td) => td.text())).toContain('Kites');
    expect(drawn).toBe(rows.length);
    // Something else of the page changes.
    await table.setProps({ title: 'Of this week' });
    expect(table.find('p').text()).toBe('Of this week');
    expect(drawn).toBe(rows.length);
    // Columns that come and go are seen all the same.
    await table.setProps({ shown: [...columns].reverse() });
    expect(table.findAll('th').map((th) => th.text())).toEqual(['Visits', 'Name']);
    await table.setProps({ shown: columns.slice(0, 1) });
    expect(table.findAll('th').map((th) => th.text())).toEqual(['Name']);
    expect(table.findAll('tbody tr')[0]!.findAll('td')).toHaveLength(1);
  });

  it('draws what a loop around it gives to its cells, whenever that changes', async () => {
    table = mounted(
      defineComponent({
        components: { ListTable },
        props: { words: { type: Array, default: () => ['first'] } },
        setup: () => ({ rows, columns }),
        template: `<section><ListTable v-for="(word, i) in words" :key="i" :rows="rows" :columns="columns" label="Campaigns">
          <template #name="{ row }">{{ word }} {{ row.name }}</template>
          <template #visits="{ row }">{{ row.visits }}</template></ListTable></section>`,
      }),
    );
    const first = (): string => table.find('tbody td').text();
    expect(first()).toBe('first Kites');
    await table.setProps({ words: ['second'] });
    expect(first()).toBe('second Kites');
  });

  /** Cells with all that PrimeVue's can do. */
  const wholeCells = (): number => table.findAllComponents({ name: 'BodyCell' }).length;
  const placeOf = (at: number): string =>
    table.findAll('tbody td').at(at)!.attributes('style') ?? 'without a style';

  it('draws plain cells, the box and the name pinned where they stand, and measures nothing', () => {
    const measured = jest.spyOn(HTMLElement.prototype, 'offsetWidth', 'get');
    open();
    expect(measured).not.toHaveBeenCalled();
    measured.mockRestore();
    expect(wholeCells()).toBe(0);
    expect(table.findAll('th').map((th) => th.attributes('style'))).toEqual([
      expect.stringContaining('inset-inline-start: 0px'),
      expect.stringContaining('inset-inline-start: 34px'),
      expect.not.stringContaining('inset-inline-start'),
    ]);
    expect(placeOf(0)).toContain('inset-inline-start: 0px');
    expect(placeOf(1)).toContain('inset-inline-start: 34px');
    const cells = table.findAll('tbody tr')[0]!.findAll('td');
    expect(cells.map((td) => td.classes('p-datatable-frozen-column'))).toEqual([true, true, false]);
    expect(cells.map((td) => td.attributes('role'))).toEqual(['cell', 'cell', 'cell']);
    expect(cells.map((td) => td.classes('num'))).toEqual([false, false, true]);
  });
  it('leaves a column that the member pins to PrimeVue, which measures where it stands', () => {
    const layout = { order: [], hidden: [], widths: {}, pinned: ['name', 'visits'] };
    table = mounted(ListTable, {
      props: { rows, columns, label: 'Campaigns', name: 'campaigns' },
      slots: { 'total-visits': '47' },
      global: {
        plugins: [PrimeVue],
        provide: { [tableLayoutsKey as symbol]: { layoutOf: () => layout, keep: () => undefined } },
      },
    });
    expect(wholeCells()).toBe(rows.length);
    const totals = table.findAllComponents({ name: 'FooterCell' });
    expect(totals.map((total) => total.text())).toEqual(['47']);
  });
});

it('a total that comes after the rows is shown', async () => {
  const host = defineComponent({
    components: { ListTable },
    props: { total: { type: String, default: '' } },
    setup: () => ({ rows, columns }),
    template: `<ListTable :rows="rows" :columns="columns" label="Campaigns">
      <template #name="{ row }">{{ row.name }}</template><template v-if="total" #total-visits>{{ total }}</template></ListTable>`,
  });
  table = mounted(host);
  expect(table.find('tfoot').exists()).toBe(false);
  await table.setProps({ total: '47' });
  expect(table.find('tfoot').text()).toBe('47');
  // Plain cells as well, the name's pinned where its column is.
  expect(table.findAllComponents({ name: 'FooterCell' })).toHaveLength(0);
  const totals = table.findAll('tfoot td');
  expect(totals.map((td) => td.attributes('role'))).toEqual(['cell', 'cell']);
  expect(totals.map((td) => td.classes('p-datatable-frozen-column'))).toEqual([true, false]);
  expect(totals.map((td) => td.classes('num'))).toEqual([false, true]);
  expect(totals[0]!.attributes('style')).toContain('inset-inline-start: 0px');
});

describe('choosing', () => {
  it('one, all that are shown, and none again', async () => {
    open({ search: 'a', text: (r: Row) => r.name });
    expect(names()).toEqual(['Stargazing', 'Terrarium']);
    await table.find('input[aria-label="Choose all rows shown"]').setValue(true);
    expect(chosen()).toEqual(['b', 'c']);
  });
  it('a range with Shift, in the order shown', async () => {
    open();
    await boxOf('Kites').setValue(true);
    await table.setProps({ chosen: chosen() });
    const last = boxOf('Terrarium');
    last.element.parentElement!.dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }));
    await last.setValue(true);
    await nextTick();
    expect(chosen().sort()).toEqual(['a', 'b', 'c']);
  });
});

it('says that nothing matches the search, and shows the empty state when there is nothing at all', async () => {
  open({ search: 'zebra', text: (r: Row) => r.name });
  expect(table.text()).toContain('No row matches “zebra”.');
  table.unmount();
  table = mounted(ListTable, {
    props: { rows: [], columns, label: 'Campaigns' },
    slots: { empty: '<p>No campaign yet</p>' },
  });
  expect(table.text()).toBe('No campaign yet');
  expect(table.find('table').exists()).toBe(false);
});

it('a failed list says why and asks again on demand', async () => {
  open({ rows: [], state: 'failed', failure: 'Tracheon is not responding.' });
  expect(table.find('[role="alert"]').text()).toContain('Tracheon is not responding.');
  await table.find('button').trigger('click');
  expect(table.emitted('again')).toHaveLength(1);
});

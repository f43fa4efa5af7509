import { expect, it, jest } from '@jest/globals';
import { mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import { h, nextTick } from 'vue';
import ListTable from './ListTable.vue';

it('arrows move between rows, and other keys do what the table says with the row that has the focus', async () => {
  const open = jest.fn();
  const rows = [{ id: 'moss' }, { id: 'fern' }, { id: 'reed' }];
  const table = mount(ListTable as never, {
    attachTo: document.body,
    global: { plugins: [PrimeVue] },
    props: {
      rows,
      label: 'Sites',
      columns: [{ key: 'id', label: 'Site' }],
      rowActions: { ArrowRight: open },
    } as never,
    slots: { id: ({ row }: { row: { id: string } }) => h('button', row.id) },
  });
  await nextTick();
  const press = (key: string): void =>
    void document.activeElement!.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
  (table.find('[role="region"]').element as HTMLElement).focus();
  press('ArrowDown');
  press('ArrowDown');
  press('ArrowRight');
  expect(open.mock.calls).toEqual([[rows[1]]]);
  press('ArrowUp');
  press('ArrowRight');
  expect(open).toHaveBeenLastCalledWith(rows[0]);
  // The end of the list; and a button inside a row keeps its keys.
  press('ArrowUp');
  expect((document.activeElement as HTMLElement).tagName).toBe('TR');
  table.findAll('button')[2]!.element.focus();
  press('ArrowRight');
  expect(open).toHaveBeenCalledTimes(2);
  table.unmount();
});

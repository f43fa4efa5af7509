import { afterEach, beforeAll, describe, expect, it, jest } from '@jest/globals';
import BaseComponent from '@primevue/core/basecomponent';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import Column from 'primevue/column';
import PrimeVue from 'primevue/config';
import DataTable from 'primevue/datatable';
import DatePicker from 'primevue/datepicker';
import Dialog from 'primevue/dialog';
import Drawer from 'primevue/drawer';
import InputText from 'primevue/inputtext';
import MultiSelect from 'primevue/multiselect';
import Popover from 'primevue/popover';
import Select from 'primevue/select';
import { createApp, h, nextTick, type App, type VNode } from 'vue';
import { searchOnlyWhereGiven } from './ownParts.ts';

const { methods } = BaseComponent as unknown as { methods: Record<string, (...all: unknown[]) => unknown> };
const table = { table: { 'aria-label': 'Campaigns' }, tableContainer: { tabindex: 0 } };
const rows = [{ name: 'Kites', visits: 3 }];

/** Controls as the apps use them: with attributes for some of their parts, and without. */
const drawings: Record<string, () => VNode> = {
  'a button': () => h(Button, { label: 'Save', severity: 'secondary', text: true }),
  'a button with attributes for its label': () =>
    h(Button, { label: 'Save', pt: { label: { 'data-word': 'save' }, root: () => ({ class: 'wide' }) } }),
  'a button with such an attribute of its own': () => h(Button, { label: 'Save', 'pt:label:title': 'Saves' }),
  'a checkbox': () => h(Checkbox, { binary: true, modelValue: true, 'aria-label': 'Choose' }),
  'a text field': () => h(InputText, { modelValue: 'Kites', size: 'small', invalid: true }),
  'a select': () => h(Select, { options: ['a', 'b'], modelValue: 'b', showClear: true }),
  'several at once': () => h(MultiSelect, { options: ['a', 'b'], modelValue: ['a'], display: 'chip' }),
  'a calendar': () => h(DatePicker, { inline: true, modelValue: new Date(2026, 10, 3), showWeek: true }),
  'a dialog': () => h(Dialog, { visible: true, modal: true, header: 'Keys' }, () => 'All keys'),
  'a sheet': () => h(Drawer, { visible: true, position: 'right', header: 'Edit' }, () => 'A form'),
  'a popover': () => h(Popover, { ref: 'popover' }, () => 'Why'),
  'a table': () =>
    h(
      DataTable,
      { value: rows, pt: table, scrollable: true, sortField: 'visits', sortOrder: -1, stripedRows: true },
      () => [
        h(Column, { field: 'name', frozen: true, pt: { headerCell: { scope: 'col' } } }),
        h(Column, { field: 'visits', header: 'Visits', sortable: true, footer: '3' }),
      ],
    ),
};

let app: App | null = null;
afterEach(() => {
  app?.unmount();
  document.body.innerHTML = '';
});
async function htmlOf(draw: () => VNode): Promise<string> {
  app?.unmount();
  document.body.innerHTML = '';
  app = createApp({ render: draw }).use(PrimeVue);
  app.mount(document.body.appendChild(document.createElement('div')));
  await nextTick();
  return document.body.innerHTML;
}

describe('what a control draws', () => {
  const before: Record<string, string> = {};
  beforeAll(async () => {
    for (const [what, draw] of Object.entries(drawings)) before[what] = await htmlOf(draw);
    searchOnlyWhereGiven(methods);
  });

  it.each(Object.keys(drawings))('is what it was: %s', async (what) => {
    const { length } = before[what]!;
    expect(length).toBeGreaterThan(what === 'a popover' ? 10 : 60);
    expect(await htmlOf(drawings[what]!)).toBe(before[what]);
  });
  it('has what a control gives to one part, and is not looked for in the others', async () => {
    const looked = jest.spyOn(methods as { _getPTValue: () => object }, '_getPTValue');
    expect(await htmlOf(drawings['a button']!)).toContain('data-pc-section="label"');
    expect(looked).not.toHaveBeenCalled();
    expect(await htmlOf(drawings['a button with attributes for its label']!)).toContain('data-word="save"');
    expect(looked).toHaveBeenCalled();
    looked.mockRestore();
  });
});

it('leaves controls of another version as they are', () => {
  const others = { ptm: () => ({}), cx: () => '' };
  const same = { ...others };
  searchOnlyWhereGiven(others);
  expect(others).toEqual(same);
});

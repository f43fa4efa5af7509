/**
 * A program may give attributes to any part of any PrimeVue control: by the control's `pt`, by its `pt:` attributes, or for
 * all controls at once. For each part that it draws, a control searches all three. Before it searches, it puts together
 * what it would hand to functions that may be found there. To find a part's classes, it compares the names of all parts.
 * Our apps give attributes to few parts, and none to all controls at once. So a control searches here only when it was
 * given attributes for the part, and takes the classes by the part's name. What it draws stays the same.
 */
type Attributes = Record<string, unknown>;
interface Control {
  pt?: Attributes;
  ptOptions?: object;
  $attrs: Attributes;
  $params: object;
  $style: { classes?: Record<string, unknown> };
  isUnstyled?: boolean;
  /** Attributes by which a part is found, such as `data-pc-section`; none for `transition`. */
  _getPTDatasets: (part: string) => Attributes | false;
}
type AttributesOf = (this: Control, part?: string, told?: object) => Attributes;
type AttributesFrom = (this: Control, given?: Attributes, part?: string, told?: object) => Attributes;
type ClassesOf = (this: Control, part?: string, told?: object) => unknown;

/** As PrimeVue compares names of parts. */
const plain = (name: string): string => name.replace(/[-_]/g, '').toLowerCase();

/** Whether `given` may say something of a part, which is named like `root` or `column.headerCell`. */
function names(given: Attributes | undefined, part: string): boolean {
  if (!given) return false;
  if ('_usept' in given) return true;
  const wanted = plain(part).split('.')[0];
  return Object.keys(given).some((name) => plain(name) === wanted);
}
const isGivenOtherwise = (control: Control): boolean =>
  control.ptOptions !== undefined || Object.keys(control.$attrs).some((name) => name.startsWith('pt:'));

/** `methods`: those of every control. If another version of PrimeVue has other methods, nothing changes. */
export function searchOnlyWhereGiven(methods: Record<string, unknown>): void {
  const { ptm, ptmo, cx } = methods as { ptm: AttributesOf; ptmo: AttributesFrom; cx: ClassesOf };
  if (![ptm, ptmo, cx, methods._getPTDatasets].every((method) => typeof method === 'function')) return;
  const withPart: AttributesOf = function (part = '', told = {}) {
    if (names(this.pt, part) || isGivenOtherwise(this)) return ptm.call(this, part, told);
    return this._getPTDatasets(part) || {};
  };
  const withGiven: AttributesFrom = function (given, part = '', told = {}) {
    if (names(given, part) || isGivenOtherwise(this)) return ptmo.call(this, given, part, told);
    return this._getPTDatasets(part) || {};
  };
  const classes: ClassesOf = function (part = '', told = {}) {
    if (this.isUnstyled) return undefined;
    const { classes: all } = this.$style;
    const own = all && Object.hasOwn(all, part) ? all[part] : undefined;
    if (typeof own === 'string') return own;
    return typeof own === 'function' ? own({ ...this.$params, ...told }) : cx.call(this, part, told);
  };
  Object.assign(methods, { ptm: withPart, ptmo: withGiven, cx: classes });
}

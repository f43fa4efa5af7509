/**
 * PrimeVue lets a program give attributes to each part of a control (`pt`), to all controls at once, or to none. For each
 * part that it draws, a control looks in all of these places, and collects what a function would be told, although here
 * only a few parts are given any, by their control. And it finds the classes of a part by comparing the names of all parts.
 * Here a control looks only where something can be, and gives the same answers.
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

/** `methods`: of every control. A version of PrimeVue that has other ones is left as it is. */
export function lookOnlyWhereSomethingIs(methods: Record<string, unknown>): void {
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

/** Local days. Formatters are kept: making one takes milliseconds. */
const formatters = new Map<string, Intl.DateTimeFormat>();

/** The ISO date on which this moment falls in the zone. */
export function localDay(ms: number, zone: string): string {
  let format = formatters.get(zone);
  if (!format) formatters.set(zone, (format = new Intl.DateTimeFormat('sv-SE', { timeZone: zone })));
  return format.format(ms);
}

/** What click IDs are written in. */
export const CLICK_ID_ALPHABET = '0123456789ABCDEFGHJKMNPQRSTVWXYZ';
/** First letter and the one after the last, of the time and of the random part in three. */
export const CLICK_ID_PARTS = [
  [0, 10],
  [10, 14],
  [14, 20],
  [20, 26],
] as const;

/** A click ID as numbers that compress well: its time, and its random part in three. */
export function clickNumbers(id: string): [ms: number, a: number, b: number, c: number] {
  const part = ([from, to]: readonly [number, number]): number => {
    let n = 0;
    for (let i = from; i < to; i++) n = n * 32 + valueOf(id, i);
    return n;
  };
  const [ms, a, b, c] = CLICK_ID_PARTS;
  return [part(ms), part(a), part(b), part(c)];
}
const VALUES = new Uint8Array(128);
[...CLICK_ID_ALPHABET].forEach((c, i) => (VALUES[c.charCodeAt(0)] = i));
const valueOf = (id: string, at: number): number => VALUES[id.charCodeAt(at)]!;

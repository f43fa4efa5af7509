/** A click ID as numbers that compress well: its time, and its random part in three. */
export function clickNumbers(id: string): [ms: number, a: number, b: number, c: number] {
  let ms = 0;
  for (let i = 0; i < 10; i++) ms = ms * 32 + valueOf(id, i);
  const part = (from: number, to: number): number => {
    let n = 0;
    for (let i = from; i < to; i++) n = n * 32 + valueOf(id, i);
    return n;
  };
  return [ms, part(10, 14), part(14, 20), part(20, 26)];
}
const VALUES = new Uint8Array(128);
[...'0123456789ABCDEFGHJKMNPQRSTVWXYZ'].forEach((c, i) => (VALUES[c.charCodeAt(0)] = i));
const valueOf = (id: string, at: number): number => VALUES[id.charCodeAt(at)]!;

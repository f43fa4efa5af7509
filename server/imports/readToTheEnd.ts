/** More of a refused file is not waited for. */
const MAX_REST_BYTES = 256 * 1024 * 1024;
/** Whoever still sends sees no answer, only a broken connection: the reason is told once the whole file is here. */
export async function readToTheEnd(source: AsyncIterator<Buffer>): Promise<void> {
  let size = 0;
  while (size < MAX_REST_BYTES) {
    const next = await source.next().catch(() => null);
    if (next === null || next.done) return;
    size += next.value.length;
  }
}

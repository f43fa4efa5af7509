/** Reports from the index. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { NumbersClient } from './numbersClient.ts';

export function numbersRoutes(mount: Mount, { config }: ApiGround): void {
  const numbers = new NumbersClient(config.dataFolder);
  mount('numbersReport', ({ signed: { deskId }, body, res }) => {
    const gone = new AbortController();
    // The page has been left: nobody waits for the answer.
    res.once('close', () => gone.abort());
    return numbers.askWritten({ deskId, asked: body }, gone.signal);
  });
  mount('numbersState', () => numbers.state());
}

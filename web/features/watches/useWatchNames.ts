/** Names that watches and their findings read with. */
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import type { WatchNames } from '@tracheon/core/watches';
import { deliveryName, useDelivery } from './useDelivery.ts';

export function useWatchNames(): WatchNames {
  const parts = useParts();
  const session = useSession();
  useDelivery();
  return {
    nameOf: (id) =>
      (['source', 'campaign', 'event-type'] as const)
        .map((kind) => parts.one(kind, id)?.body.name)
        .find(Boolean) ?? deliveryName(id),
    get currency() {
      return session.desk.currency;
    },
  };
}

/**
 * The router for a screen that waits for the server before it goes on: once somebody has left the screen, they stay where
 * they went.
 */
import { onBeforeUnmount } from 'vue';
import { onBeforeRouteLeave, useRouter, type RouteLocationRaw } from 'vue-router';

type Go = (to: RouteLocationRaw) => void;

export function useRouterHere(): { push: Go; replace: Go } {
  const router = useRouter();
  let isLeft = false;
  const leave = (): void => void (isLeft = true);
  // Already as leaving begins: the code of the next screen may take a while to come.
  onBeforeRouteLeave(leave);
  onBeforeUnmount(leave);
  return {
    push: (to) => void (isLeft || router.push(to)),
    replace: (to) => void (isLeft || router.replace(to)),
  };
}

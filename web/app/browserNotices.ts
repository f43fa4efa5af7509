/** Whether this browser shows notices of its own while a tab of Tracheon is open. */
const KEY = 'tracheon.browserNotices';

/** Why it can't; empty: it can. */
export function noBrowserNotices(): string {
  if (!window.isSecureContext)
    return 'Browsers show notifications only for https addresses, and on this computer itself.';
  if (typeof Notification === 'undefined') return 'This browser has no notifications.';
  return Notification.permission === 'denied'
    ? 'You have forbidden notifications for this address. Allow them in your browser’s settings.'
    : '';
}
export const hasBrowserNotices = (): boolean =>
  localStorage.getItem(KEY) === 'on' && noBrowserNotices() === '' && Notification.permission === 'granted';

/** Asks the member where the browser has not done so; returns whether they are on now. */
export async function setBrowserNotices(isOn: boolean): Promise<boolean> {
  const granted = isOn && (await Notification.requestPermission()) === 'granted';
  localStorage.setItem(KEY, granted ? 'on' : 'off');
  return granted;
}

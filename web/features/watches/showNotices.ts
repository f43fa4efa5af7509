/** New notices as notifications of the browser: each once, whatever number of tabs is open. */
import { ask } from '../../app/api.ts';
import type { useSession } from '../../app/session.ts';

/** More at once would only be closed unread. */
const MOST = 3;

export async function showNotices({ desk }: ReturnType<typeof useSession>): Promise<void> {
  const key = `tracheon.noticeSeen.${desk.id}`;
  const seen = localStorage.getItem(key);
  const { notices } = await ask('listNotices');
  // Before any ID.
  const newest = notices[0]?.id ?? '0';
  localStorage.setItem(key, newest);
  // Where nothing was ever shown, nothing is new.
  if (seen === null) return;
  const fresh = notices.filter((n) => n.id > seen && !n.isRead);
  for (const n of fresh.slice(0, MOST)) show(n.title, n.text, n.id, n.to);
  if (fresh.length > MOST)
    show(`${fresh.length - MOST} more notices`, desk.name, `${newest}-more`, '/watches/notices');
}

function show(title: string, body: string, tag: string, to: string): void {
  const shown = new Notification(title, { body, tag });
  shown.onclick = () => {
    window.focus();
    window.location.assign(to || '/watches/notices');
  };
}

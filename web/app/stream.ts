/**
 * News from the server. One stream per browser: the tab that holds the lock listens and passes the news on to the
 * others; when it closes, the next one takes over. Without locks (plain http on another host) each tab listens.
 */
import { onBeforeUnmount, ref, toRaw } from 'vue';
import { newsTopics, type HealthNews, type StreamNews } from '@tracheon/core/contract';

type Topic = StreamNews['topics'][number];
const listeners = new Set<(topics: Topic[]) => void>();
export const connected = ref(false);
/** How the server stands, as it said last; null while it has said nothing. */
export const health = ref<HealthNews | null>(null);
let channel: BroadcastChannel | null = null;
let source: EventSource | null = null;
let release: (() => void) | null = null;

const tell = (topics: Topic[]): void => listeners.forEach((l) => l(topics));

function hearHealth(said: HealthNews): void {
  // Back again: what was shown meanwhile may be old.
  const isBack = health.value?.database === 'away' && said.database === 'up';
  health.value = said;
  if (isBack) tell([...newsTopics]);
}

export function openStream(): void {
  if (channel) return;
  channel = new BroadcastChannel('tracheon-news');
  channel.onmessage = (
    e: MessageEvent<{ topics?: Topic[]; connected?: boolean; health?: HealthNews | null; asks?: true }>,
  ) => {
    // A tab that has just been opened asks the one that listens how things are.
    if (e.data.asks && source)
      channel?.postMessage({ connected: connected.value, health: toRaw(health.value) });
    if (e.data.health) hearHealth(e.data.health);
    if (e.data.connected !== undefined) connected.value = e.data.connected;
    if (e.data.topics) tell(e.data.topics);
  };
  channel.postMessage({ asks: true });
  const locks = (navigator as { locks?: LockManager }).locks;
  if (!locks) return listen();
  void locks.request('tracheon-stream', () => {
    if (!channel) return;
    listen();
    return new Promise<void>((resolve) => (release = resolve));
  });
}

function say(state: boolean): void {
  connected.value = state;
  channel?.postMessage({ connected: state });
}

/** A stream that opens later than this may have missed news of what the screen had shown by then. */
const LATE_MS = 500;

function listen(): void {
  source = new EventSource('/api/stream');
  const since = performance.now();
  let isFirst = true;
  source.onopen = () => {
    say(true);
    // What moved while nobody listened is not told again.
    if (!isFirst || performance.now() - since > LATE_MS) hear([...newsTopics]);
    isFirst = false;
  };
  source.onerror = () => say(false);
  source.addEventListener('health', (e: MessageEvent<string>) => {
    const said = JSON.parse(e.data) as HealthNews;
    hearHealth(said);
    channel?.postMessage({ health: said });
  });
  source.onmessage = (e: MessageEvent<string>) => {
    const { topics } = JSON.parse(e.data) as StreamNews;
    hear(topics);
  };
}

/** News for this tab and the others. */
function hear(topics: Topic[]): void {
  channel?.postMessage({ topics });
  tell(topics);
}

export function closeStream(): void {
  source?.close();
  channel?.close();
  release?.();
  source = channel = release = null;
  connected.value = false;
  health.value = null;
}

/** A list that moves more often than this can't be read. */
const REFRESH_EVERY_MS = 1500;

/**
 * Asks again when one of the topics has moved; at most every `pauseMs`, never while the last is under way, and in a tab that
 * nobody sees only once it is looked at.
 */
export function onNews(
  topics: Topic[],
  refresh: () => Promise<void> | void,
  pauseMs = REFRESH_EVERY_MS,
): void {
  let busy = false;
  let again = false;
  const run = async (): Promise<void> => {
    if (busy || document.hidden) return void (again = true);
    busy = true;
    try {
      await refresh();
    } finally {
      setTimeout(rested, pauseMs);
    }
  };
  const rested = (): void => {
    busy = false;
    if (!again) return;
    again = false;
    void run();
  };
  const listener = (moved: Topic[]): void => {
    if (moved.some((t) => topics.includes(t))) void run();
  };
  const onLook = (): void => {
    if (document.hidden || busy || !again) return;
    again = false;
    void run();
  };
  listeners.add(listener);
  document.addEventListener('visibilitychange', onLook);
  onBeforeUnmount(() => {
    listeners.delete(listener);
    document.removeEventListener('visibilitychange', onLook);
  });
}

/** What is known of a visitor from the request alone. User agents are cached, since parsing one takes 50 µs. */
import { isbot } from 'isbot';
import { LRUCache } from 'lru-cache';
import { UAParser } from 'ua-parser-js';

/** Longer agents are cut: they cost time and carry nothing. */
const MAX_AGENT_LENGTH = 1024;
const AGENT_CACHE_SIZE = 20_000;

export interface Agent {
  device: string;
  deviceModel: string;
  os: string;
  osVersion: string;
  browser: string;
  browserVersion: string;
  /** Empty for people. */
  botReason: '' | 'agent' | 'no_agent';
}
const agents = new LRUCache<string, Agent>({ max: AGENT_CACHE_SIZE });
const deviceNames: Record<string, string> = {
  mobile: 'phone',
  tablet: 'tablet',
  smarttv: 'tv',
  console: 'console',
  wearable: 'watch',
};

/** As people know them; that it was a phone stands in the device. */
const knownAs: Record<string, string> = {
  'Mobile Safari': 'Safari',
  'Mobile Chrome': 'Chrome',
  'Chrome Headless': 'Chrome',
  'Mobile Firefox': 'Firefox',
  'Opera Mobi': 'Opera',
  'Mac OS': 'macOS',
  'Chromium OS': 'ChromeOS',
};
const known = (name = ''): string => knownAs[name] ?? name;

/** How often the cache knew an agent, and how often it had to be parsed, since the start. */
export const agentCache = { hits: 0, misses: 0 };

export function readAgent(header: string): Agent {
  const text = header.slice(0, MAX_AGENT_LENGTH);
  let agent = agents.get(text);
  if (agent) agentCache.hits += 1;
  else {
    agentCache.misses += 1;
    agent = parseAgent(text);
    agents.set(text, agent);
  }
  return agent;
}

function parseAgent(text: string): Agent {
  const ua = new UAParser(text).getResult();
  return {
    device: text === '' ? '' : deviceOf(ua.device.type, ua.os.name, text),
    deviceModel: [ua.device.vendor, ua.device.model].filter(Boolean).join(' '),
    os: known(ua.os.name),
    osVersion: ua.os.version ?? '',
    browser: known(ua.browser.name),
    browserVersion: ua.browser.major ?? '',
    // No agent at all is no person's browser.
    botReason: text === '' ? 'no_agent' : isbot(text) ? 'agent' : '',
  };
}

/** A mobile system whose agent names no type of device is a phone where it says mobile, else a tablet. */
function deviceOf(type: string | undefined, os: string | undefined, agent: string): string {
  if (type !== undefined) return deviceNames[type] ?? 'other';
  if (/\bMobile\b/.test(agent)) return 'phone';
  return os !== undefined && MOBILE_SYSTEMS.has(os) ? 'tablet' : 'desktop';
}
const MOBILE_SYSTEMS = new Set(['Android', 'iOS', 'HarmonyOS', 'KaiOS', 'Windows Phone', 'Windows Mobile']);

/** First language of Accept-Language (RFC 9110 §12.5.4), two or three letters. */
export function readLanguage(header: string | undefined): string {
  return /^\s*([A-Za-z]{2,3})\b/.exec(header ?? '')?.[1]?.toLowerCase() ?? '';
}

/** No name in DNS is longer (RFC 1035 §2.3.4). */
const MAX_HOST_LENGTH = 253;
/** Longer ones are cut before anything looks at them. */
export const MAX_REFERRER_LENGTH = 2048;

export function readHost(referrer: string | undefined): string {
  if (!referrer) return '';
  const text = referrer.slice(0, MAX_REFERRER_LENGTH);
  // Names in the letters of DNS need no URL parser; numbers alone may be an address in another spelling.
  const plain = /^https?:\/\/([a-z0-9.-]{1,253})(?:[/?#]|$)/.exec(text)?.[1];
  const last = plain?.slice(plain.lastIndexOf('.') + 1) ?? '';
  if (plain !== undefined && /[a-z]/.test(last) && !plain.includes('xn--') && !/^0x|\.0x/.test(plain))
    return plain;
  try {
    const { hostname } = new URL(text);
    return hostname.length > MAX_HOST_LENGTH ? '' : hostname;
  } catch {
    return '';
  }
}

export interface Place {
  country: string;
  region: string;
  city: string;
  isp: string;
  connection: string;
}
export type FindPlace = (address: string) => Place;
export const nowhere: Place = { country: '', region: '', city: '', isp: '', connection: '' };

/** Made-up visitors: addresses of real countries' ranges, agents of common devices, a few bots. */
import { weighted, type Random } from '../habits/random.ts';
import { sites } from '../habits/traffic.ts';

export interface Visitor {
  country: string;
  address: string;
  agent: string;
  language: string;
  site: string;
  isBot: boolean;
}
const ranges: Record<string, string> = {
  BE: '81.82',
  NL: '145.53',
  DK: '80.62',
  PT: '85.240',
  CA: '24.48',
  JP: '126.10',
};
const languages: Record<string, string> = {
  BE: 'nl-BE',
  NL: 'nl-NL',
  DK: 'da-DK',
  PT: 'pt-PT',
  CA: 'en-CA',
  JP: 'ja-JP',
};
export const countries = Object.keys(ranges);
export const agents: Record<string, string> = {
  phone:
    'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36',
  iphone:
    'Mozilla/5.0 (iPhone; CPU iPhone OS 18_2 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.2 Mobile/15E148 Safari/604.1',
  desktop:
    'Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Safari/537.36',
  tablet:
    'Mozilla/5.0 (iPad; CPU OS 18_2 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.2 Safari/604.1',
  bot: 'Mozilla/5.0 (compatible; PracticeCrawler/1.0; +http://crawler.example/bot)',
};

const pick = <T>(list: readonly T[], random: Random): T => list[Math.floor(random() * list.length)]!;

export interface Mix {
  countries: string[];
  devices: string[];
  /** Share of bots, 0–1. */
  bots: number;
}

export function makeVisitor(mix: Mix, random: Random): Visitor {
  const country = pick(mix.countries.length > 0 ? mix.countries : countries, random);
  const isBot = random() < mix.bots;
  const device = pick(
    mix.devices.length > 0 ? mix.devices : ['phone', 'iphone', 'desktop', 'tablet'],
    random,
  );
  return {
    country,
    address: `${ranges[country] ?? '81.82'}.${Math.floor(random() * 250)}.${1 + Math.floor(random() * 250)}`,
    agent: isBot ? agents.bot! : (agents[device] ?? agents.desktop!),
    language: languages[country] ?? 'en',
    site: weighted(
      random,
      sites.map(([site, share]) => [site, share] as const),
    ),
    isBot,
  };
}

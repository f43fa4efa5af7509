/** What the ad network remembers, and the visits that it sends: singly, as a stream, or steadily. */
import { KeptState } from '../page/keptState.ts';
import type { Character } from './characters.ts';
import type { Heard } from './hearConversions.ts';
import { order, sendVisit, USUAL_PRICE, type SentVisit } from './sendVisit.ts';
import { bill, type Spend } from './spend.ts';
import { makeVisitor, type Mix, type Visitor } from './visitors.ts';
import { BOT_SHARE, gapMs, orderDelayMs, sites, type Flow } from '../habits/traffic.ts';

export interface Campaign {
  id: number;
  name: string;
  link: string;
  sent: SentVisit[];
  /** Steady traffic, also after a restart, so that the screens live. */
  flow?: Flow;
}
/** An order that a visitor will place. */
interface Due {
  at: number;
  location: string;
}
export interface State extends Heard {
  campaigns: Campaign[];
  due: Due[];
  /** Older states have none. */
  spend?: Spend;
}
/** So many visits and so many calls are remembered. */
export const KEPT = 200;
const ORDERS_EVERY_MS = 5000;

export interface AdNetworkOptions {
  character: Character;
  host: string;
  /** Visits leave for this origin only, so that the practice network cannot be pointed at anybody else. */
  trackingOrigin: () => string;
  stateFile: string | null;
}

export class AdNetwork {
  readonly kept: KeptState<State>;
  private readonly streams = new Map<number, NodeJS.Timeout>();
  private readonly flows = new Map<number, NodeJS.Timeout>();
  private readonly orders: NodeJS.Timeout;

  constructor(private readonly options: AdNetworkOptions) {
    this.kept = new KeptState<State>(options.stateFile, { campaigns: [], postbacks: [], due: [] });
    for (const c of this.kept.value.campaigns) if (c.flow) this.keepGoing(c, c.flow);
    this.orders = setInterval(() => this.placeOrders(Date.now()), ORDERS_EVERY_MS);
  }
  find(id: string | undefined): Campaign | undefined {
    return this.kept.value.campaigns.find((c) => c.id === Number(id));
  }
  add(name: string, link: string): number {
    const id = 1 + Math.max(0, ...this.kept.value.campaigns.map((c) => c.id));
    this.kept.value.campaigns.push({ id, name: name || `Campaign ${id}`, link, sent: [] });
    this.kept.changed();
    return id;
  }
  hear(query: string): void {
    this.kept.value.postbacks = [{ at: Date.now(), query }, ...this.kept.value.postbacks].slice(0, KEPT);
    this.kept.changed();
  }
  /** What it answers to conversions from now on. */
  get refuses(): boolean {
    return this.kept.value.refuses === true;
  }
  set refuses(does: boolean) {
    this.kept.value.refuses = does;
    this.kept.changed();
  }
  /** One visit; a link that does not answer is logged like any other. */
  async send(campaign: Campaign, mix: Mix, buyShare: number): Promise<void> {
    await this.sendAs(campaign, makeVisitor(mix, Math.random), buyShare);
  }
  private async sendAs(
    campaign: Campaign,
    visitor: Visitor,
    buyShare: number,
    price?: number,
  ): Promise<SentVisit> {
    const now = Date.now();
    const { host, character } = this.options;
    const sent = await sendVisit(
      campaign.link,
      visitor,
      buyShare,
      host,
      Math.random,
      now,
      character,
      price,
    ).catch((error: unknown): SentVisit => ({
      at: now,
      url: campaign.link,
      clickId: '',
      status: 0,
      location: String(error),
      bought: false,
    }));
    campaign.sent = [sent, ...campaign.sent].slice(0, KEPT);
    bill((this.kept.value.spend ??= {}), campaign.name, visitor.site, sent, price ?? USUAL_PRICE);
    this.kept.changed();
    return sent;
  }
  isStreaming(campaign: Campaign): boolean {
    return this.streams.has(campaign.id);
  }
  startStream(campaign: Campaign, perSecond: number, mix: Mix, buyShare: number): void {
    this.stopStream(campaign);
    const timer = setInterval(() => void this.send(campaign, mix, buyShare), 1000 / perSecond);
    this.streams.set(campaign.id, timer);
  }
  stopStream(campaign: Campaign): void {
    clearInterval(this.streams.get(campaign.id));
    this.streams.delete(campaign.id);
  }
  keepGoing(campaign: Campaign, flow: Flow | null): void {
    clearTimeout(this.flows.get(campaign.id));
    if (flow) campaign.flow = flow;
    else delete campaign.flow;
    this.kept.changed();
    if (!flow) return;
    const next = (): void => {
      const timer = setTimeout(
        () => {
          next();
          void this.sendSteady(campaign, flow);
        },
        gapMs(flow, Date.now(), Math.random),
      );
      this.flows.set(campaign.id, timer);
    };
    next();
  }
  /** One visit of a steady flow; who will buy does so hours later. */
  private async sendSteady(campaign: Campaign, flow: Flow): Promise<void> {
    const visitor = makeVisitor({ countries: [flow.country], devices: [], bots: BOT_SHARE }, Math.random);
    const sent = await this.sendAs(campaign, visitor, 0, flow.price);
    const quality = sites.find(([site]) => site === visitor.site)?.[2] ?? 1;
    if (visitor.isBot || sent.location === '' || Math.random() >= flow.buys * quality) return;
    this.kept.value.due.push({ at: Date.now() + orderDelayMs(Math.random), location: sent.location });
    this.kept.changed();
  }
  private placeOrders(nowMs: number): void {
    const due = this.kept.value.due.filter((d) => d.at <= nowMs);
    if (due.length === 0) return;
    this.kept.value.due = this.kept.value.due.filter((d) => d.at > nowMs);
    this.kept.changed();
    for (const { location } of due) void order(location);
  }
  stop(): void {
    clearInterval(this.orders);
    for (const timer of this.flows.values()) clearTimeout(timer);
    for (const timer of this.streams.values()) clearInterval(timer);
    this.kept.write();
  }
}

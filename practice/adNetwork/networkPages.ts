/** The screens of the ad network. */
import { html, page, type Html } from '../page/html.ts';
import { KEPT, type Campaign, type State } from './adNetwork.ts';
import type { Character } from './characters.ts';
import { fillMacros } from './fillMacros.ts';
import { heardPart, time } from './hearConversions.ts';
import { SPEND_KEY, spentToday } from './spend.ts';
import { countries } from './visitors.ts';

export const message = (accent: string, title: string, words: Html): string =>
  page(
    title,
    accent,
    html`<h1>${title}</h1>
      <p>${words}</p>
      <p><a href="/">Back</a></p>`,
  );

export function overview(character: Character, state: State): Html {
  return html`<h1>${character.name}</h1>
    <p>
      Sells visits. Macros: <code>${character.macros}</code>. Takes conversions by
      <code>${character.hears}</code>
    </p>
    <p>
      Today costs ${spentToday(state.spend ?? {}, Date.now())} EUR so far. Its API tells the cost of each day
      by site:
      <code>/api/spend?date={day}</code> with the parameter <code>key=${SPEND_KEY}</code>.
      <a href="/api/spend/template.json" download>Template for your tracker</a>
    </p>
    <h2>New campaign</h2>
    <form method="post" action="/campaigns">
      <label>Name <input name="name" /></label>
      <label>Tracking link <textarea name="link" rows="2" required></textarea></label>
      <p><button>Create campaign</button></p>
    </form>
    <h2>Campaigns</h2>
    <table>
      <tr>
        <th>Name</th>
        <th>Visits sent</th>
      </tr>
      ${state.campaigns.map(
        (c) =>
          html`<tr>
            <td><a href="/campaigns/${c.id}">${c.name}</a></td>
            <td>${c.sent.length}${c.sent.length === KEPT ? ' or more' : ''}</td>
          </tr>`,
      )}
    </table>
    ${heardPart(state)}`;
}

export function campaignPage(character: Character, c: Campaign, streaming: boolean): Html {
  const sample = fillMacros(c.link, character.shape, {
    click: `${character.clickPrefix}-sample`,
    site: 'kiosk-nord.example',
    zone: '1018',
    ad: 'ad-1',
    title: 'See the rings of Saturn',
    keyword: 'star map',
    campaign: 'kits-autumn',
    cost: '0.0310',
    country: 'BE',
  });
  return html`<p><a href="/">← ${character.name}</a></p>
    <h1>${c.name}</h1>
    <p>Your link: <code>${c.link}</code></p>
    <p>With our macros filled: <code id="filled">${sample}</code></p>
    <h2>Send one visit</h2>
    <form method="post" action="/campaigns/${c.id}/visit" class="row">
      <label
        >Country
        <select name="country">
          <option value="">any</option>
          ${countries.map((x) => html`<option>${x}</option>`)}
        </select></label
      >
      <label
        >Device
        <select name="device">
          <option value="">any</option>
          <option value="phone">phone</option>
          <option value="iphone">iPhone</option>
          <option value="tablet">tablet</option>
          <option value="desktop">desktop</option>
        </select></label
      >
      <button id="send">Send one visit</button>
    </form>
    <h2>Stream</h2>
    <form method="post" action="/campaigns/${c.id}/stream" class="row">
      <label>Visits per second <input name="rate" value="2" size="4" /></label>
      <label>Countries <input name="countries" placeholder="any" /></label>
      <label>Bots, % <input name="bots" value="5" size="3" /></label>
      <label>Buy something, % <input name="buys" value="10" size="3" /></label>
      ${streaming ? html`<button name="do" value="stop">Stop the stream</button>` : html`<button name="do" value="start">Start the stream</button>`}
    </form>
    <form method="post" action="/campaigns/${c.id}/keep-going" class="row">
      ${c.flow ? html`<span>About ${Math.round(c.flow.perDay)} visitors a day come by themselves.</span><button name="do" value="stop">Stop background visits</button>` : html`<button name="do" value="start">Keep it going</button>`}
    </form>
    <h2>Visits sent</h2>
    <table id="sent">
      <tr>
        <th>Time (UTC)</th>
        <th>Our click</th>
        <th>Answer</th>
        <th>Redirected to</th>
      </tr>
      ${c.sent.slice(0, 30).map(
        (v) =>
          html`<tr>
            <td>${time(v.at)}</td>
            <td><code>${v.clickId}</code></td>
            <td>${v.status === 0 ? 'no answer' : v.status}${v.bought ? ', bought' : ''}</td>
            <td>
              <a class="onward" href="${v.location}"><code>${v.location}</code></a>
            </td>
          </tr>`,
      )}
    </table>`;
}

/**
 * The desk's own landing pages, simulated: one written by hand, one put together in a site builder. What stands on each
 * is pasted by the member, as it would be on a real page; a button can vanish, as it does when somebody edits a page.
 */
import express, { type Express } from 'express';
import { Html, html, page } from '../page/html.ts';
import { KeptState } from '../page/keptState.ts';

/** What the member pasted into one page. */
export interface PageContent {
  /** The address of each button. */
  buttons: string[];
  /** The script tag in the page's head, or nothing. */
  script: string;
  /** Somebody edited the page, and the buttons are gone. */
  vanished: boolean;
  behaves: Behaviour;
}
export const behaviours = ['well', 'slow', 'error', 'huge', 'moved'] as const;
export type Behaviour = (typeof behaviours)[number];
interface State {
  pages: Record<string, PageContent>;
}

export const pageTitles: Record<string, { title: string; text: string; builder: boolean }> = {
  terrarium: {
    title: 'A garden that waters itself',
    text: 'How a jar, some moss and a spoon of charcoal live on a shelf for years.',
    builder: false,
  },
  sourdough: {
    title: 'Seven days to your first loaf',
    text: 'Flour, water, patience: what to do on which day, and what to buy ready-made.',
    builder: true,
  },
  stargazing: {
    title: 'Which stars are over your garden tonight?',
    text: 'Two questions, and you know what to look for after dusk.',
    builder: false,
  },
};

const ACCENT = '#5a3d2d';
const SLOW_MS = 8000;
const HUGE_BYTES = 50 * 1024 * 1024;
const TAG = /^<script src="([^"]+)"[^>]*><\/script>$/;

export function buildPages(options: { trackingOrigin: () => string; stateFile: string | null }): {
  app: Express;
  stop: () => void;
} {
  const kept = new KeptState<State>(options.stateFile, { pages: {} });
  const contentOf = (name: string): PageContent =>
    kept.value.pages[name] ?? { buttons: [], script: '', vanished: false, behaves: 'well' };
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false }));
  app.get('/', (_req, res) => {
    const editors = Object.keys(pageTitles).map((name) => editor(name, contentOf(name)));
    res.send(
      page(
        'Practice landing pages',
        ACCENT,
        html`<h1>Practice landing pages</h1>
          ${editors}`,
      ),
    );
  });
  app.post('/edit/:name', (req, res) => {
    const { name } = req.params;
    if (!pageTitles[name]) return void res.status(404).end();
    const read = readEdit((req.body ?? {}) as Record<string, string>, options.trackingOrigin());
    if (typeof read === 'string')
      return void res.status(422).send(
        page(
          'Refused',
          ACCENT,
          html`<h1>Refused</h1>
            <p>${read}</p>
            <p><a href="/">Back</a></p>`,
        ),
      );
    kept.value.pages[name] = read;
    kept.changed();
    res.redirect(303, '/');
  });
  app.get('/:name', (req, res) => {
    const about = pageTitles[req.params.name];
    if (!about) return void res.status(404).send(page('Gone', ACCENT, html`<h1>No such page</h1>`));
    const content = contentOf(req.params.name);
    if (content.behaves === 'error') return void res.status(500).send('The page has an error.');
    if (content.behaves === 'moved') return void res.redirect(301, '/');
    if (content.behaves === 'huge') return void res.type('html').send('<p>'.padEnd(HUGE_BYTES, 'x'));
    const text = visitorsPage(about, content);
    if (content.behaves === 'slow') setTimeout(() => res.send(text), SLOW_MS).unref();
    else res.send(text);
  });
  return { app, stop: () => kept.write() };
}

/** The edit, or why it is refused: these pages lead to this desk's own tracking domain only. */
function readEdit(body: Record<string, string>, own: string): PageContent | string {
  const buttons = (body.buttons ?? '')
    .split(/\r?\n/)
    .map((line) => line.trim())
    .filter(Boolean);
  const script = (body.script ?? '').trim();
  if (buttons.some((b) => !b.startsWith(`${own}/b/`)))
    return `Buttons on these pages can link only to ${own}/b/….`;
  if (script !== '' && TAG.exec(script)?.[1] !== `${own}/page.js`)
    return `These pages allow only the script from ${own}.`;
  return {
    buttons: buttons.slice(0, 20),
    script,
    vanished: body.vanished === 'yes',
    behaves: behaviours.find((b) => b === body.behaves) ?? 'well',
  };
}

function visitorsPage(
  about: { title: string; text: string; builder: boolean },
  content: PageContent,
): string {
  const buttons = content.vanished ? [] : content.buttons;
  const head = new Html(TAG.test(content.script) ? content.script : '');
  const links = buttons.map(
    (href, i) => html`<p><a class="go" id="button-${i + 1}" href="${href}">Show me the box</a></p> `,
  );
  // The site builder keeps its links in data, and makes the buttons from it in the browser.
  const data = new Html(JSON.stringify({ buttons }).replaceAll('/', '\\/').replaceAll('<', '\\u003c'));
  const built = html`<div id="blocks"></div>
    <script>
      var blocks = ${data};
      blocks.buttons.forEach(function (href, i) {
        var a = document.createElement('a');
        a.id = 'button-' + (i + 1);
        a.href = href;
        a.textContent = 'Show me the box';
        var p = document.createElement('p');
        p.appendChild(a);
        document.getElementById('blocks').appendChild(p);
      });
    </script>`;
  return page(
    about.title,
    ACCENT,
    html`${head}
      <h1>${about.title}</h1>
      <p>${about.text}</p>
      ${about.builder ? built : links}`,
  );
}

function editor(name: string, content: PageContent): Html {
  const about = pageTitles[name]!;
  const words: Record<Behaviour, string> = {
    well: 'normally',
    slow: 'slow: answers after 8 s',
    error: 'broken: answers 500',
    huge: 'huge: 50 MiB',
    moved: 'moved: redirects to this list',
  };
  return html`<h2>${about.title}</h2>
    <p class="quiet">
      <a href="/${name}"><code>/${name}</code></a
      >, ${about.builder ? 'put together in a site builder' : 'written by hand'}
    </p>
    <form method="post" action="/edit/${name}">
      <label
        >Button links, one per line
        <textarea name="buttons" rows="2">${content.buttons.join('\n')}</textarea>
      </label>
      <label>Script in the head <input class="wide" name="script" value="${content.script}" /></label>
      <p class="row">
        <label
          >Page behaviour
          <select name="behaves">
            ${behaviours.map((b) => html`<option value="${b}" ${new Html(content.behaves === b ? 'selected' : '')}>${words[b]}</option>`)}
          </select></label
        >
        <label
          ><input
            type="checkbox"
            name="vanished"
            value="yes"
            ${new Html(content.vanished ? 'checked' : '')}
          />
          an editor removed the buttons</label
        >
        <button>Save</button>
      </p>
    </form>`;
}

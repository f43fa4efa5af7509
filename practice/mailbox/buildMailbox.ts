/** A mail server and the one mailbox behind it, simulated: what it took can be read, and it can be told to refuse or to be slow. */
import type { Server } from 'node:net';
import express, { type Express } from 'express';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { html, page } from '../page/html.ts';
import { KeptState } from '../page/keptState.ts';

export interface Mail {
  at: string;
  to: string;
  subject: string;
  messageId: string;
  text: string;
}
export const mailManners = ['takes', 'later', 'refuses', 'silent'] as const;
export type MailManner = (typeof mailManners)[number];
interface State {
  manner: MailManner;
  mails: Mail[];
}

const KEPT_MAILS = 500;
const ACCENT = '#4b2d5a';
const mannerWords: Record<MailManner, string> = {
  takes: 'takes every e-mail',
  later: 'says “try again later” (451)',
  refuses: 'refuses every recipient (550)',
  silent: 'takes the connection and never answers',
};

export interface Mailbox {
  app: Express;
  smtp: Server;
  stop: () => void;
}

export function buildMailbox(options: { stateFile: string | null }): Mailbox {
  const kept = new KeptState<State>(options.stateFile, { manner: 'takes', mails: [] });
  const server = smtpServer(kept);
  return {
    app: mailboxPages(kept),
    smtp: server.server,
    stop: () => {
      kept.write();
      server.close(() => undefined);
    },
  };
}

const refusal = (responseCode: number, message: string): Error =>
  Object.assign(new Error(message), { responseCode });

function smtpServer(kept: KeptState<State>): SMTPServer {
  return new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    onConnect: (_session, done) => {
      // Never answered: whoever called has to give up by itself.
      if (kept.value.manner !== 'silent') done();
    },
    onRcptTo: (_address, _session, done) => {
      const { manner } = kept.value;
      if (manner === 'later') return done(refusal(451, 'Try again later'));
      done(manner === 'refuses' ? refusal(550, 'No such mailbox') : null);
    },
    onData: (stream, session, done) => {
      simpleParser(stream).then(
        (mail) => {
          kept.value.mails.unshift({
            at: new Date().toISOString(),
            to: session.envelope.rcptTo.map((r) => r.address).join(', '),
            subject: mail.subject ?? '',
            messageId: mail.messageId ?? '',
            text: mail.text ?? '',
          });
          kept.value.mails.length = Math.min(kept.value.mails.length, KEPT_MAILS);
          kept.changed();
          done();
        },
        (error: Error) => done(error),
      );
    },
    logger: false,
  });
}

function mailboxPages(kept: KeptState<State>): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false }));
  app.get('/', (_req, res) => {
    const { manner, mails } = kept.value;
    res.send(
      page(
        'Practice mailbox',
        ACCENT,
        html`<h1>Practice mailbox</h1>
          <form method="post" action="/manner">
            <label
              >This mail server
              <select name="manner">
                ${mailManners.map(
                  (m) =>
                    html`<option value="${m}" ${m === manner ? html`selected` : ''}>
                      ${mannerWords[m]}
                    </option>`,
                )}
              </select></label
            >
            <button>Set</button>
          </form>
          ${mails.length === 0 ? html`<p>No e-mail yet.</p>` : mails.map(mailBlock)}`,
      ),
    );
  });
  app.post('/manner', (req, res) => {
    const { manner } = (req.body ?? {}) as { manner?: string };
    if (!mailManners.includes(manner as MailManner)) return void res.status(422).end();
    kept.value.manner = manner as MailManner;
    kept.changed();
    res.redirect(303, '/');
  });
  app.get('/mails.json', (_req, res) => void res.json(kept.value.mails));
  return app;
}

const mailBlock = (m: Mail) =>
  html`<h2>${m.subject}</h2>
    <p>To ${m.to}, ${m.at}</p>
    <pre>${m.text}</pre>`;

/** E-mails by the operator's mail server. */
import { createTransport } from 'nodemailer';

export interface Mail {
  /** Without angle brackets; the same each time this e-mail is sent. */
  messageId: string;
  to: string;
  subject: string;
  text: string;
}
/** `isOver`: the server will never take it. */
export type Mailed = { isAccepted: boolean; isOver: boolean; result: string };
export type SendMail = (mail: Mail) => Promise<Mailed>;

const PATIENCE_MS = 15_000;
const MAX_SUBJECT = 200;

/** A subject is one line: what follows a line break would be a header. */
export const subjectLine = (text: string): string =>
  text
    .replaceAll(/[\u0000-\u001f\u007f\u2028\u2029]+/g, ' ')
    .trim()
    .slice(0, MAX_SUBJECT);

export function makeMailer({ smtpUrl, from }: { smtpUrl: string; from: string }): {
  send: SendMail;
  close: () => void;
} {
  const transport = createTransport(
    {
      url: smtpUrl,
      pool: true,
      maxConnections: 2,
      connectionTimeout: PATIENCE_MS,
      greetingTimeout: PATIENCE_MS,
      socketTimeout: PATIENCE_MS,
      disableFileAccess: true,
      disableUrlAccess: true,
    },
    { from },
  );
  return {
    send: async ({ messageId, to, subject, text }) => {
      try {
        const { response } = await transport.sendMail({
          messageId: `<${messageId}>`,
          // As an address alone: a list or a name in it would reach somebody else.
          to: { name: '', address: to },
          subject: subjectLine(subject),
          text,
          headers: { 'Auto-Submitted': 'auto-generated' },
        });
        return { isAccepted: true, isOver: false, result: `The mail server took it: ${response}` };
      } catch (error) {
        return refusal(error as Error & { responseCode?: number; code?: string });
      }
    },
    close: () => transport.close(),
  };
}

/** A 5xx is final (RFC 5321 §4.2.1), but a refused sign-in is the operator's to mend, and every e-mail's. */
function refusal(error: Error & { responseCode?: number; code?: string }): Mailed {
  const { responseCode, code, message } = error;
  const isOver = code !== 'EAUTH' && responseCode !== undefined && responseCode >= 500;
  return { isAccepted: false, isOver, result: message };
}

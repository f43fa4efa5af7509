/**
 * The log. What failed statements were asked with, and what the database quotes of their values, stays out of it, as do
 * tokens and secrets of links: a log is copied to more places than a database.
 */
import { pino, stdSerializers, type Logger, type LoggerOptions } from 'pino';

/** Named fields of an error that say what happened and hold no values. */
const KEPT = [
  'code',
  'severity',
  'schema',
  'table',
  'column',
  'constraint',
  'routine',
  'syscall',
  'errno',
] as const;
const MAX_MESSAGE_LENGTH = 500;
const TOKEN = /tracheon_[a-z0-9]{8,}/g;

export function errorForLog(error: unknown): unknown {
  if (!(error instanceof Error))
    return typeof error === 'object' ? { type: 'object' } : withoutValues(String(error));
  const of = error as Error & Record<string, unknown> & { parent?: unknown };
  const told: Record<string, unknown> = { type: error.name, message: withoutValues(error.message) };
  // Sequelize keeps the driver's error inside its own.
  const inner = (of.parent ?? of) as Record<string, unknown>;
  for (const name of KEPT) if (inner[name] !== undefined) told[name] = inner[name];
  told.stack = (error.stack ?? '')
    .split('\n')
    .filter((line) => /^\s+at /.test(line))
    .join('\n');
  if (error.cause instanceof Error) told.cause = errorForLog(error.cause);
  return told;
}

/** PostgreSQL quotes the value after a colon: `invalid input syntax for type integer: "…"`. */
export const withoutValues = (message: string): string =>
  message.slice(0, MAX_MESSAGE_LENGTH).replace(/: ".*/s, ': …').replace(TOKEN, 'tracheon_…');

export const makeLogger = (level: string, destination?: { write: (line: string) => void }): Logger => {
  const options: LoggerOptions = {
    level,
    serializers: { ...stdSerializers, err: errorForLog },
    hooks: {
      // Without words of ours, the library would take the error's own as the message.
      logMethod(args, method) {
        const [first, ...rest] = args as unknown as [unknown, ...unknown[]];
        const given = first instanceof Error ? { err: first } : first;
        const words = rest.length === 0 && typeof given === 'object' ? ['something failed'] : rest;
        method.apply(this, [given, ...words] as unknown as Parameters<typeof method>);
      },
    },
  };
  return destination ? pino(options, destination) : pino(options);
};

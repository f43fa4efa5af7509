/** Error → status and problem document, in one place. What is not known is logged whole and told without detail. */
import { isAway } from '../db/pools.ts';
import type { ErrorRequestHandler, RequestHandler } from 'express';
import type { Logger } from 'pino';
import { ConnectionError, DatabaseError } from 'sequelize';
import { ulid } from 'ulid';
import { errorCatalogue, type ErrorCode, type Problem as ProblemDocument } from '@tracheon/core/contract';
import { Problem } from '../problems/problem.ts';

export const giveRequestId: RequestHandler = (_req, res, next) => {
  res.locals.requestId = ulid();
  res.setHeader('X-Request-Id', res.locals.requestId as string);
  next();
};

export const unknownRoute: RequestHandler = () => {
  throw new Problem('not_found');
};

export function answerProblem(log: Logger): ErrorRequestHandler {
  return (error: unknown, req, res, next) => {
    // Whoever asked has left: there is nobody to tell, and nothing has failed.
    if (res.closed) return;
    if (res.headersSent) return next(error);
    const problem = toProblem(error);
    const requestId = res.locals.requestId as string;
    if (problem.code === 'internal') log.error({ err: error, requestId, path: req.path }, 'request failed');
    const { status, sentence } = errorCatalogue[problem.code];
    const document: ProblemDocument = {
      type: `/errors#${problem.code}`,
      title: sentence,
      status,
      code: problem.code,
      requestId,
      ...problem.more,
    };
    if (problem.code === 'database_away') res.setHeader('Retry-After', '5');
    res.status(status).type('application/problem+json').send(JSON.stringify(document));
  };
}

function toProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  if (error instanceof ConnectionError) return new Problem('database_away');
  const code = databaseCode(error);
  if (isAway(error) || isAway({ code })) return new Problem('database_away');
  const { type, status } = (error ?? {}) as { type?: unknown; status?: unknown };
  const known: Record<string, ErrorCode> = {
    'entity.parse.failed': 'malformed_body',
    'entity.verify.failed': 'nested_too_deeply',
    'entity.too.large': 'body_too_large',
  };
  if (typeof type === 'string' && known[type]) return new Problem(known[type]);
  // What Express and its static files refuse: a path that is not there, or leads out of the folder.
  if (status === 403 || status === 404) return new Problem('not_found');
  if (typeof status === 'number' && status >= 400 && status < 500) return new Problem('unreadable_request');
  return new Problem('internal');
}

function databaseCode(error: unknown): string {
  const holder = error instanceof DatabaseError ? error.original : error;
  const code = (holder as { code?: unknown } | null)?.code;
  return typeof code === 'string' ? code : '';
}

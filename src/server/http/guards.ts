import type { ErrorRequestHandler, RequestHandler } from 'express';
import type { ObjectSchema } from 'joi';
import { STATUS, type ErrorBody } from '../../contract/errors.ts';
import { AppError } from '../../core/errors.ts';
import { isDatabaseAway } from '../store/away.ts';

/** Validates what came in. @throws AppError `bad_request` naming the field. */
export function check<T>(schema: ObjectSchema<T>, value: unknown): T {
  const { value: checked, error } = schema.validate(value, { convert: true, abortEarly: true });
  if (error) throw new AppError('bad_request', `The request is not right: ${error.message}.`);
  return checked as T;
}

/**
 * The server speaks to this machine alone: other host names (a page elsewhere that resolves to us) and other origins
 * are refused.
 */
export function onlyLocal(): RequestHandler {
  return (request, _response, next) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '');
    if (!['127.0.0.1', 'localhost', '[::1]'].includes(host)) {
      throw new AppError('bad_host', `This server answers on 127.0.0.1 and localhost, not on "${host}".`);
    }
    const { origin } = request.headers;
    if (origin !== undefined && origin !== `http://${request.headers.host}`) {
      throw new AppError('bad_origin', 'Requests from other pages are refused.');
    }
    next();
  };
}

const POLICY = [
  "default-src 'none'",
  "script-src 'self' 'wasm-unsafe-eval'",
  "style-src 'self' 'unsafe-inline'",
  "img-src 'self' blob: data:",
  "media-src 'self' blob:",
  "font-src 'self'",
  "connect-src 'self'",
  "worker-src 'self' blob:",
  "base-uri 'none'",
  "form-action 'none'",
  "frame-ancestors 'none'",
].join('; ');

export function securityHeaders(): RequestHandler {
  return (_request, response, next) => {
    response.setHeader('content-security-policy', POLICY);
    response.setHeader('cross-origin-opener-policy', 'same-origin');
    response.setHeader('cross-origin-embedder-policy', 'require-corp');
    response.setHeader('x-content-type-options', 'nosniff');
    response.setHeader('referrer-policy', 'no-referrer');
    next();
  };
}

/** The one place where failures become answers. */
export const errorAnswers: ErrorRequestHandler = (error: unknown, _request, response, next) => {
  if (response.headersSent) return next(error);
  const { status, body } = answerOf(error);
  if (status === 500) process.stderr.write(`${(error as Error).stack ?? String(error)}\n`);
  response.status(status).json(body);
};

function answerOf(error: unknown): { status: number; body: ErrorBody } {
  if (error instanceof AppError && STATUS[error.code]) {
    return { status: STATUS[error.code], body: { code: error.code, message: error.message } };
  }
  const { message = '', status, type } = error as { message?: string; status?: number; type?: string };
  if (isDatabaseAway(error)) {
    const text = 'The database cannot be reached just now. Nothing is lost: try again in a moment.';
    return { status: 503, body: { code: 'unavailable', message: text } };
  }
  if (status && status >= 400 && status < 500) {
    return {
      status,
      body: { code: 'bad_request', message: type === 'entity.parse.failed' ? 'The request is not JSON.' : message },
    };
  }
  return {
    status: 500,
    body: { code: 'internal', message: 'Something went wrong here; the log of the server says what.' },
  };
}

import { Router, type Request, type Response } from 'express';
import type { ObjectSchema } from 'joi';
import { check } from './guards.ts';

/** One operation of the API: what it takes, what it does. The OpenAPI document is made from the same. */
export interface Endpoint {
  method: 'get' | 'post' | 'patch' | 'delete';
  /** Below /api, with `:name` for parameters. */
  path: string;
  summary: string;
  params?: ObjectSchema;
  /** What may follow the path after “?”. */
  query?: ObjectSchema;
  body?: ObjectSchema;
  /** Of the answer: 200 unless given; 204 has no body. */
  status?: number;
  /** What the answer is; JSON unless given. */
  answers?: string;
  handle(request: Request, response: Response): Promise<void>;
}

interface Parts<P, B> extends Pick<Endpoint, 'method' | 'path' | 'summary' | 'status' | 'answers'> {
  params?: ObjectSchema<P>;
  body?: ObjectSchema<B>;
}

/** An operation that answers with what `work` returns, as JSON, or with nothing (204). */
export function json<P = unknown, B = unknown>(
  parts: Parts<P, B> & { work(params: P, body: B): Promise<unknown> },
): Endpoint {
  const { work, ...rest } = parts;
  return {
    ...rest,
    async handle(request, response) {
      const result = await work(valid(parts.params, request.params), valid(parts.body, request.body));
      if (parts.status === 204) response.status(204).end();
      else response.status(parts.status ?? 200).json(result);
    },
  };
}

/** An operation that answers with a file or a picture. */
export function file<P = unknown, Q = unknown>(
  parts: Parts<P, unknown> & {
    query?: ObjectSchema<Q>;
    answers: string;
    send(params: P, response: Response, query: Q): Promise<void>;
  },
): Endpoint {
  const { send, ...rest } = parts;
  return {
    ...rest,
    handle: (request, response) =>
      send(valid(parts.params, request.params), response, valid(parts.query, request.query)),
  };
}

const valid = <T>(schema: ObjectSchema<T> | undefined, value: unknown): T =>
  schema ? check(schema, value ?? {}) : (undefined as T);

export function routerOf(endpoints: readonly Endpoint[]): Router {
  const router = Router();
  for (const { method, path, handle } of endpoints) {
    router[method](path, (request, response) => handle(request, response));
  }
  return router;
}

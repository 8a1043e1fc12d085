import { join } from 'node:path';
import express, { type Express } from 'express';
import { AppError } from '../../core/errors.ts';
import type { EventHub } from '../events/eventHub.ts';
import { routerOf, type Endpoint } from './endpoint.ts';
import { errorAnswers, onlyLocal, securityHeaders } from './guards.ts';
import { openApi } from './openApi.ts';
import { UPLOAD_PATH, type uploadServer } from './uploads.ts';

export interface AppParts {
  endpoints: readonly Endpoint[];
  events: EventHub;
  uploads: ReturnType<typeof uploadServer>;
  /** Built page. */
  page: string;
}

export function createApp({ endpoints, events, uploads, page }: AppParts): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(onlyLocal(), securityHeaders());
  app.all([UPLOAD_PATH, `${UPLOAD_PATH}/{*rest}`], (request, response) => uploads.handle(request, response));
  app.use(express.json({ limit: '4mb' }));
  app.get('/api/health', (_request, response) => void response.json({ ok: true }));
  app.get('/api/events', (request, response) => events.attach(request, response));
  app.get('/api/openapi.json', (_request, response) => void response.json(openApi(endpoints)));
  app.use('/api', routerOf(endpoints));
  app.use('/api', (request) => {
    throw new AppError('not_found', `There is nothing at ${request.method} ${request.originalUrl}.`);
  });
  app.use(express.static(page, { index: 'index.html', maxAge: 0 }));
  app.get('/{*path}', (_request, response) => response.sendFile(join(page, 'index.html')));
  app.use(errorAnswers);
  return app;
}

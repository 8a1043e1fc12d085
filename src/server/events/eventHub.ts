import type { Request, Response } from 'express';
import pg from 'pg';
import type { ServerEvent } from '../../contract/events.ts';
import { CHANNEL } from '../jobs/queue.ts';

const RETRY_MS = 1000;
const KEEP_ALIVE_MS = 20_000;

/** Passes changes told through the database on to all pages, as server-sent events. */
export class EventHub {
  private readonly pages = new Set<Response>();
  private client: pg.Client | undefined;
  private stopped = false;
  private readonly keepAlive = setInterval(() => this.write(': \n\n'), KEEP_ALIVE_MS);

  constructor(private readonly connectionString: string) {}

  /** Listens, and listens again when the database comes back. */
  async start(): Promise<void> {
    const client = new pg.Client({ connectionString: this.connectionString });
    client.on('error', () => this.retry(client));
    client.on('end', () => this.retry(client));
    client.on('notification', ({ payload }) => {
      if (payload) this.send(JSON.parse(payload) as ServerEvent);
    });
    this.client = client;
    try {
      await client.connect();
      await client.query(`LISTEN ${CHANNEL}`);
      // What happened while nobody listened is unknown: the pages look again.
      this.write('event: look\ndata: {}\n\n');
    } catch {
      this.retry(client);
    }
  }

  private retry(client: pg.Client): void {
    if (this.stopped || this.client !== client) return;
    this.client = undefined;
    setTimeout(() => void (this.stopped || this.start()), RETRY_MS);
  }

  async tell(event: ServerEvent): Promise<void> {
    // Through the database, so that pages of other servers hear of it as well.
    await this.client?.query('SELECT pg_notify($1, $2)', [CHANNEL, JSON.stringify(event)]);
  }

  /** A page that wants to hear. */
  attach(_request: Request, response: Response): void {
    response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store' });
    response.write('retry: 1000\n\n');
    this.pages.add(response);
    response.on('close', () => this.pages.delete(response));
  }

  private send(event: ServerEvent): void {
    this.write(`data: ${JSON.stringify(event)}\n\n`);
  }

  private write(text: string): void {
    for (const page of this.pages) page.write(text);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    clearInterval(this.keepAlive);
    for (const page of this.pages) page.end();
    await this.client?.end().catch(() => undefined);
  }
}

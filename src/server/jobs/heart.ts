import pg from 'pg';

/** Workers that have not told for this long that they live are looked at: whose connection is gone is dead. */
const SILENT_SECONDS = 5;
/** And whoever is silent for this long counts as dead anyway: a host without power leaves its connections open. */
const DEAD_SECONDS = 60;
const BEAT_MS = 1500;

/**
 * Tells the others that this process lives, and frees the jobs of those that do not. While it lives it holds a lock of the
 * database under each of its names, which goes with its connection: of those that are silent, one that is only slow, on a
 * loaded machine, is not taken for dead, and one that was killed is.
 */
export class Heart {
  private timer: NodeJS.Timeout | undefined;
  private beating = Promise.resolve();
  private holding: { client: pg.Client; names: Set<string> } | undefined;

  /** @param ids - Names under which the jobs of this process are locked. */
  constructor(
    private readonly connectionString: string,
    private readonly pool: pg.Pool,
    private readonly ids: ReadonlySet<string>,
  ) {}

  start(): void {
    const tick = (): void => {
      this.beating = this.beating.then(() => this.beat()).catch(() => undefined);
    };
    tick();
    this.timer = setInterval(tick, BEAT_MS);
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.beating;
    await this.holding?.client.end().catch(() => undefined);
  }

  /** How many workers live, each with so many names. */
  async living(names: number): Promise<number> {
    const { rows } = await this.pool.query<{ living: number }>(
      `SELECT ((count(*) + $1 - 1) / $1)::int AS living FROM worker_pools WHERE beat_at > now() - make_interval(secs => $2)`,
      [names, SILENT_SECONDS],
    );
    return rows[0].living;
  }

  private async beat(): Promise<void> {
    this.holding ??= await this.connect();
    await this.hold(this.holding);
    for (const id of this.ids) {
      await this.pool.query(
        'INSERT INTO worker_pools (id, beat_at) VALUES ($1, now()) ON CONFLICT (id) DO UPDATE SET beat_at = now()',
        [id],
      );
    }
    const dead = await this.dead();
    if (dead.length > 0) await this.pool.query('SELECT graphile_worker.force_unlock_workers($1::text[])', [dead]);
  }

  /** A connection of its own; where it breaks, another is made with the next beat. */
  private async connect(): Promise<NonNullable<Heart['holding']>> {
    const client = new pg.Client({ connectionString: this.connectionString, keepAlive: true });
    client.on('error', () => (this.holding = undefined));
    await client.connect();
    return { client, names: new Set() };
  }

  /** Locks what is not locked yet; a name that is not free is tried again with the next beat. */
  private async hold({ client, names }: NonNullable<Heart['holding']>): Promise<void> {
    for (const id of this.ids) {
      if (names.has(id)) continue;
      const { rows } = await client.query<{ got: boolean }>(
        'SELECT pg_try_advisory_lock(hashtextextended($1, 0)) AS got',
        [id],
      );
      if (rows[0].got) names.add(id);
    }
  }

  /** Workers that hold jobs and are gone. */
  private async dead(): Promise<string[]> {
    const { rows } = await this.pool.query<{ id: string; gone: boolean }>(
      `SELECT DISTINCT j.locked_by AS id, COALESCE(p.beat_at, j.locked_at) < now() - make_interval(secs => $2) AS gone
       FROM graphile_worker.jobs j LEFT JOIN worker_pools p ON p.id = j.locked_by
       WHERE j.locked_by IS NOT NULL AND COALESCE(p.beat_at, j.locked_at) < now() - make_interval(secs => $1)`,
      [SILENT_SECONDS, DEAD_SECONDS],
    );
    const out: string[] = [];
    for (const { id, gone } of rows) if (!this.ids.has(id) && (gone || (await this.isUnheld(id)))) out.push(id);
    return out;
  }

  /** The lock is let go with the statement. */
  private async isUnheld(id: string): Promise<boolean> {
    const { rows } = await this.pool.query<{ free: boolean }>(
      'SELECT pg_try_advisory_xact_lock(hashtextextended($1, 0)) AS free',
      [id],
    );
    return rows[0].free;
  }
}

import { fork, spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync, statfsSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ClipView } from '../../contract/clips.ts';

const dist = (path: string): string => new URL(`../../../dist/src/${path}`, import.meta.url).pathname;

/** Ends before the test that waits does, so that what was waited for is named. */
const PATIENCE_MS = 200_000;

export const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

const MEMORY_DISK = '/dev/shm';
const ROOM = 2 ** 31;

/** A disk in memory where there is room: what is tested is killed processes, not lost power, and every flush waits. */
function quickDisk(): string {
  if (!existsSync(MEMORY_DISK)) return tmpdir();
  const { bavail, bsize } = statfsSync(MEMORY_DISK);
  return bavail * bsize > ROOM ? MEMORY_DISK : tmpdir();
}

export const TUS = { 'tus-resumable': '1.0.0' };

/** A matte names its shot; a plate its removal and frame too. */
export interface UploadAbout {
  shot?: string;
  removal?: string;
  frame?: string;
}

export interface Answer<T> {
  status: number;
  body: T;
}

/**
 * The real server and worker against a real PostgreSQL, each in processes of their own, on a data folder that goes away
 * with {@link Harness.end}. Each test file has ports of its own.
 */
export class Harness {
  readonly dir = mkdtempSync(join(quickDisk(), 'mnestra-server-'));
  readonly host: string;
  readonly env: NodeJS.ProcessEnv;
  cluster!: { start(): void; stop(): void };
  server!: ChildProcess;
  worker!: ChildProcess;

  constructor(port: number) {
    this.host = `http://127.0.0.1:${port}`;
    this.env = {
      ...process.env,
      MNESTRA_DATA: this.at('data'),
      MNESTRA_PORT: String(port),
      MNESTRA_DATABASE_PORT: String(port + 1),
    };
    delete this.env.MNESTRA_DATABASE_URL;
  }

  at(name: string): string {
    return join(this.dir, name);
  }

  async begin(): Promise<void> {
    await this.prepare();
    this.cluster.start();
    await this.startServer();
    await this.startWorker();
  }

  /** The same as one program that keeps its parts up, as `./start` runs it. */
  async beginKept(): Promise<ChildProcess> {
    await this.prepare();
    const kept = this.fork('server/host/main.js', { MNESTRA_DEMO: 'off' });
    await this.until(() => this.call('GET', '/health').catch(() => undefined), 'the server to answer');
    return kept;
  }

  private async prepare(): Promise<void> {
    spawnSync('chmod', ['755', this.dir]);
    const { Cluster } = (await import(dist('server/host/cluster.js'))) as {
      Cluster: new (config: unknown) => Harness['cluster'];
    };
    const { readConfig } = (await import(dist('server/config.js'))) as {
      readConfig: (env: NodeJS.ProcessEnv) => unknown;
    };
    this.cluster = new Cluster(readConfig(this.env));
  }

  /** Starts the database from a process of its own. @returns Its exit code. */
  startDatabase(): Promise<number | null> {
    const script = `
      const { Cluster } = await import('${dist('server/host/cluster.js')}');
      const { readConfig } = await import('${dist('server/config.js')}');
      new Cluster(readConfig()).start();`;
    const child = spawn(process.execPath, ['--input-type=module', '-e', script], { env: this.env, stdio: 'ignore' });
    return new Promise((resolve) => child.once('exit', resolve));
  }

  async end(): Promise<void> {
    for (const child of [this.server, this.worker]) if (child?.exitCode === null) await this.kill(child);
    this.cluster?.stop();
    rmSync(this.dir, { recursive: true, force: true });
  }

  async startServer(): Promise<void> {
    this.server = await this.launch('server/main.js');
  }

  async startWorker(): Promise<void> {
    this.worker = await this.launch('workers/jobWorker.js');
  }

  /** Ends a process as a power cut would. */
  kill(child: ChildProcess): Promise<void> {
    return new Promise((resolve) => {
      child.once('exit', () => resolve());
      child.kill('SIGKILL');
    });
  }

  private launch(entry: string): Promise<ChildProcess> {
    const child = this.fork(entry);
    return new Promise((resolve, reject) => {
      child.once('message', () => resolve(child));
      child.once('exit', (code) => reject(new Error(`${entry} ended with ${code}`)));
    });
  }

  private fork(entry: string, more: NodeJS.ProcessEnv = {}): ChildProcess {
    return fork(dist(entry), { env: { ...this.env, ...more }, execArgv: [], silent: true });
  }

  async call<T>(method: string, path: string, body?: unknown): Promise<Answer<T>> {
    const response = await fetch(`${this.host}/api${path}`, {
      method,
      body: body === undefined ? undefined : JSON.stringify(body),
      headers: body === undefined ? {} : { 'content-type': 'application/json' },
    });
    const text = await response.text();
    return { status: response.status, body: (text === '' ? undefined : JSON.parse(text)) as T };
  }

  /** One step of undo or redo of a shot, as a page asks for it. */
  step<T>(shotId: string, direction: 'undo' | 'redo', stepId: string = randomUUID()): Promise<Answer<T>> {
    return this.call<T>('POST', `/shots/${shotId}/${direction}`, { stepId });
  }

  /** A film made by ffmpeg from a filter graph without inputs. */
  film(name: string, graph: string, ...more: string[]): Buffer {
    const source = ['-nostdin', '-loglevel', 'error', '-y', '-f', 'lavfi', '-i', graph];
    const codec = ['-c:v', 'libx264', '-pix_fmt', 'yuv420p'];
    const { status, stderr } = spawnSync('ffmpeg', [...source, ...more, ...codec, this.at(name)]);
    if (status !== 0) throw new Error(stderr.toString());
    return readFileSync(this.at(name));
  }

  /** @param about - What the file is for, besides its name: nothing for a clip. */
  async createUpload(name: string, size: number, about: UploadAbout = {}): Promise<string> {
    const metadata = Object.entries({ filename: name, ...about });
    const response = await fetch(`${this.host}/api/uploads`, {
      method: 'POST',
      headers: {
        ...TUS,
        'upload-length': String(size),
        'upload-metadata': metadata.map(([key, v]) => `${key} ${Buffer.from(v).toString('base64')}`).join(),
      },
    });
    if (response.status !== 201) throw new Error(`upload refused: ${response.status}`);
    return new URL(response.headers.get('location')!, this.host).href;
  }

  send(url: string, offset: number, body: Uint8Array): Promise<Response> {
    const headers = { ...TUS, 'upload-offset': String(offset), 'content-type': 'application/offset+octet-stream' };
    return fetch(url, { method: 'PATCH', headers, body: new Uint8Array(body) });
  }

  async upload(name: string, data: Uint8Array, about?: UploadAbout): Promise<void> {
    const response = await this.send(await this.createUpload(name, data.length, about), 0, data);
    if (response.status !== 204) throw new Error(`upload broke: ${response.status}`);
  }

  async clips(): Promise<ClipView[]> {
    return (await this.call<ClipView[]>('GET', '/clips')).body;
  }

  /** Waits until a clip has been read or refused. */
  settled(name: string): Promise<ClipView> {
    return this.until(
      async () => (await this.clips()).find((c) => c.name === name && c.state !== 'importing'),
      `${name} to be read`,
    );
  }

  /** Removes for good what was deleted longer ago than `keepMs`. @returns Ids of the takes that are left. */
  purge(keepMs: number): string[] {
    return this.script(`
      const database = openDatabase(config.databaseUrl);
      await purge(new Files(config.data), ${keepMs});
      const [rows] = await database.query('SELECT id FROM takes');
      await database.close();
      return rows.map((r) => r.id);`) as string[];
  }

  /** Runs the body of a function on the built server's parts, in a process of its own. @returns What it returns. */
  script(body: string): unknown {
    const script = `
      const [{ readConfig }, { Files }, { openDatabase, migrate }, { purge }] = await Promise.all(
        ['config', 'files', 'store/database', 'jobs/purge'].map((m) => import('${dist('server/')}' + m + '.js')));
      const config = readConfig();
      console.log(JSON.stringify(await (async () => { ${body} })()));`;
    const { stdout, stderr, status } = spawnSync('node', ['--input-type=module', '-e', script], { env: this.env });
    if (status !== 0) throw new Error(stderr.toString());
    return JSON.parse(stdout.toString());
  }

  /** Asks until there is an answer. */
  async until<T>(ask: () => Promise<T | undefined>, what: string): Promise<T> {
    for (const end = Date.now() + PATIENCE_MS; Date.now() < end; await sleep(60)) {
      const found = await ask();
      if (found !== undefined) return found;
    }
    throw new Error(`waited in vain for ${what}`);
  }
}

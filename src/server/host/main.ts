import { fork, type ChildProcess } from 'node:child_process';
import { connect } from 'node:net';
import { fileURLToPath } from 'node:url';
import { readConfig } from '../config.ts';
import { tellDemo } from '../services/demo.ts';
import { Cluster } from './cluster.ts';

/** Starts database, server and worker, keeps them up, and stops all of them together. */
const RESTART_MS = 1000;
/** How often it is looked whether the database is there. */
const WATCH_MS = 2000;
const config = readConfig();
const cluster = config.ownDatabase ? new Cluster(config) : undefined;
const children = new Map<string, ChildProcess>();
let stopping = false;

/** @param flags - Of Node. @returns When it is ready; from then on it is brought back whenever it ends. */
function launch(name: string, entry: string, flags: readonly string[] = []): Promise<void> {
  return new Promise((resolve, reject) => {
    const execArgv = [...process.execArgv, ...flags];
    const child = fork(fileURLToPath(new URL(entry, import.meta.url)), { stdio: 'inherit', execArgv });
    children.set(name, child);
    let ready = false;
    child.once('message', () => {
      ready = true;
      resolve();
    });
    child.once('exit', (code) => {
      children.delete(name);
      if (!ready) return reject(new Error(`${name} ended with ${code} before it was ready`));
      if (!stopping) bringBack(name, entry, flags);
    });
  });
}

/** Tries until it is there again: what it cannot do without may be away for longer than it is. */
function bringBack(name: string, entry: string, flags: readonly string[]): void {
  setTimeout(async () => {
    if (stopping) return;
    try {
      await launch(name, entry, flags);
    } catch (error) {
      process.stderr.write(`mnestra: ${(error as Error).message}; it is tried again\n`);
      bringBack(name, entry, flags);
    }
  }, RESTART_MS);
}

/** Looks whether somebody answers at the database's door, and starts it again where nobody does. */
function watchDatabase(): void {
  const again = (): void => void setTimeout(watchDatabase, WATCH_MS);
  const socket = connect(config.databasePort, '127.0.0.1', () => socket.end());
  socket.once('error', () => {
    if (stopping) return;
    try {
      cluster?.start();
    } catch (error) {
      process.stderr.write(`mnestra: ${(error as Error).message}\n`);
    }
  });
  socket.once('close', again);
}

/** The demo footage is rendered and added while the page can already be used. */
function seedDemo(): void {
  const seed = fileURLToPath(new URL('../../../demo/seed.js', import.meta.url));
  const child = fork(seed, [`http://127.0.0.1:${config.port}`, config.data], { stdio: 'inherit' });
  children.set('demo', child);
  child.once('exit', () => {
    children.delete('demo');
    tellDemo(config.data);
  });
}

async function stop(error?: unknown): Promise<void> {
  if (stopping) return;
  stopping = true;
  if (error instanceof Error) process.stderr.write(`mnestra: ${error.message}\n`);
  const ended = [...children.values()].map((c) => new Promise((resolve) => c.once('exit', resolve)));
  for (const child of children.values()) child.kill('SIGTERM');
  await Promise.race([Promise.all(ended), new Promise((resolve) => setTimeout(resolve, 8000))]);
  for (const child of children.values()) child.kill('SIGKILL');
  cluster?.stop();
  process.exit(error instanceof Error ? 1 : 0);
}

process.on('SIGINT', () => void stop());
process.on('SIGTERM', () => void stop());

try {
  cluster?.start();
  // What an earlier run that was killed left of it is not true any more.
  tellDemo(config.data);
  await launch('server', '../main.js');
  // What computes keeps all cores busy: helpers that collect garbage beside it would take a tenth of the time, and save none.
  await launch('worker', '../../workers/jobWorker.js', ['--single-threaded-gc']);
  process.stdout.write(`Mnestra is at http://127.0.0.1:${config.port}  (Ctrl-C stops it)\n`);
  if (cluster) watchDatabase();
  if (config.demo) seedDemo();
} catch (error) {
  await stop(error);
}

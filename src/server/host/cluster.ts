import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { AppError } from '../../core/errors.ts';
import type { HostConfig } from '../config.ts';

const DEBIAN_POSTGRES = '/usr/lib/postgresql';
/** How long it may take until the cluster answers, in looks and ms between them. */
const LOOKS = 300;
const LOOK_MS = 200;

/** A PostgreSQL cluster of our own on loopback, in the data folder. */
export class Cluster {
  /** Where it lies, with its settings and its log. */
  readonly folder: string;
  private readonly bin: string;
  private readonly asRoot = process.getuid?.() === 0;

  constructor(private readonly config: HostConfig) {
    this.bin = findPrograms();
    this.folder = this.chooseFolder();
  }

  /** Starts the cluster, made first if need be, with our role and database. Several may ask for it at once. */
  start(): void {
    if (!existsSync(join(this.folder, 'PG_VERSION'))) this.create();
    this.bringUp();
    this.must('psql', [...this.door(), '-d', 'postgres', '-U', 'postgres', '-v', 'ON_ERROR_STOP=1'], this.ourRole());
  }

  stop(): void {
    this.run('pg_ctl', ['-D', this.folder, '-m', 'fast', '-w', 'stop']);
  }

  /**
   * What counts is that it answers, whoever started it: of two who start it at once one fails; and one that is on its
   * way up, or still on its way down, runs without answering.
   */
  private bringUp(): void {
    for (let k = 0; k < LOOKS; k++) {
      if (!this.isRunning() && !this.launch() && !this.isRunning()) break;
      if (this.answers()) return;
      Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, LOOK_MS);
    }
    throw new AppError('database_failed', `The database could not be started: see ${this.folder}/server.log`);
  }

  /** Role and database, made where they are not there. One at a time: two who alter a role at once disturb each other. */
  private ourRole(): string {
    const { password } = new URL(this.config.databaseUrl);
    return `
      SELECT pg_advisory_lock(1);
      SELECT 'CREATE ROLE mnestra LOGIN' WHERE NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'mnestra') \\gexec
      ALTER ROLE mnestra PASSWORD '${password}';
      SELECT 'CREATE DATABASE mnestra OWNER mnestra'
        WHERE NOT EXISTS (SELECT FROM pg_database WHERE datname = 'mnestra') \\gexec`;
  }

  /** Where it is asked from this machine. */
  private door(): string[] {
    return ['-h', this.folder, '-p', String(this.config.databasePort)];
  }

  private isRunning(): boolean {
    return this.run('pg_ctl', ['-D', this.folder, 'status']).status === 0;
  }

  private launch(): boolean {
    const log = join(this.folder, 'server.log');
    return this.run('pg_ctl', ['-D', this.folder, '-w', '-t', '60', '-l', log, 'start']).status === 0;
  }

  private answers(): boolean {
    return this.run('pg_isready', this.door()).status === 0;
  }

  /** PostgreSQL runs as a user of its own when we are root; that user must be able to reach the folder. */
  private chooseFolder(): string {
    const inData = join(this.config.data, 'postgres');
    mkdirSync(this.config.data, { recursive: true });
    if (!this.asRoot) return inData;
    if (spawnSync('runuser', ['-u', 'postgres', '--', 'test', '-x', this.config.data]).status === 0) return inData;
    const key = createHash('sha256').update(this.config.data).digest('hex').slice(0, 12);
    return join('/var/lib/mnestra', key, 'postgres');
  }

  private create(): void {
    mkdirSync(this.folder, { recursive: true, mode: 0o700 });
    if (this.asRoot) spawnSync('chown', ['-R', 'postgres:', this.folder]);
    this.must('initdb', [
      '-D',
      this.folder,
      '-U',
      'postgres',
      '--auth-local=trust',
      '--auth-host=scram-sha-256',
      '-E',
      'UTF8',
      '--no-locale',
    ]);
    writeFileSync(
      join(this.folder, 'postgresql.auto.conf'),
      `listen_addresses = '127.0.0.1'\nport = ${this.config.databasePort}\nunix_socket_directories = '${this.folder}'\n`,
    );
    if (this.asRoot) spawnSync('chown', ['-R', 'postgres:', this.folder]);
  }

  private run(program: string, args: string[], input = ''): { status: number | null; stderr: string } {
    const path = join(this.bin, program);
    const [command, rest] = this.asRoot ? ['runuser', ['-u', 'postgres', '--', path, ...args]] : [path, args];
    // No pipe for pg_ctl: the server it leaves behind would hold it open.
    const stdio = program === 'pg_ctl' ? 'ignore' : 'pipe';
    const { status, stderr } = spawnSync(command, rest, { cwd: '/', encoding: 'utf8', stdio, input });
    return { status, stderr: stderr ?? '' };
  }

  private must(program: string, args: string[], input?: string): void {
    const { status, stderr } = this.run(program, args, input);
    if (status !== 0)
      throw new AppError('database_failed', `The database could not be started (${program}): ${stderr.trim()}`);
  }
}

function findPrograms(): string {
  const versions = existsSync(DEBIAN_POSTGRES) ? readdirSync(DEBIAN_POSTGRES) : [];
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0];
  if (!newest) throw new AppError('program_missing', 'PostgreSQL is not installed. ./start installs it.');
  return join(DEBIAN_POSTGRES, newest, 'bin');
}

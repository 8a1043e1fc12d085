import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { AppError } from '../../core/errors.ts';
import type { HostConfig } from '../config.ts';

const DEBIAN_POSTGRES = '/usr/lib/postgresql';

/** A PostgreSQL cluster of our own on loopback, in the data folder. */
export class Cluster {
  private readonly folder: string;
  private readonly bin: string;
  private readonly asRoot = process.getuid?.() === 0;

  constructor(private readonly config: HostConfig) {
    this.bin = findPrograms();
    this.folder = this.chooseFolder();
  }

  /** Starts the cluster, made first if need be, with our role and database. */
  start(): void {
    if (!existsSync(join(this.folder, 'PG_VERSION'))) this.create();
    const running = this.run('pg_ctl', ['-D', this.folder, 'status']).status === 0;
    if (!running)
      this.must('pg_ctl', ['-D', this.folder, '-w', '-t', '60', '-l', join(this.folder, 'server.log'), 'start']);
    const url = new URL(this.config.databaseUrl);
    const psql = (sql: string): string =>
      this.must('psql', [
        '-h',
        this.folder,
        '-p',
        String(this.config.databasePort),
        '-d',
        'postgres',
        '-U',
        'postgres',
        '-tAc',
        sql,
      ]);
    if (psql(`SELECT 1 FROM pg_roles WHERE rolname = 'mnestra'`) !== '1') psql(`CREATE ROLE mnestra LOGIN`);
    psql(`ALTER ROLE mnestra PASSWORD '${url.password}'`);
    if (psql(`SELECT 1 FROM pg_database WHERE datname = 'mnestra'`) !== '1')
      psql('CREATE DATABASE mnestra OWNER mnestra');
  }

  stop(): void {
    this.run('pg_ctl', ['-D', this.folder, '-m', 'fast', '-w', 'stop']);
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

  private run(program: string, args: string[]): { status: number | null; stdout: string; stderr: string } {
    const path = join(this.bin, program);
    const [command, rest] = this.asRoot ? ['runuser', ['-u', 'postgres', '--', path, ...args]] : [path, args];
    // No pipe for pg_ctl: the server it leaves behind would hold it open.
    const stdio = program === 'pg_ctl' ? 'ignore' : 'pipe';
    const { status, stdout, stderr } = spawnSync(command, rest, { cwd: '/', encoding: 'utf8', stdio });
    return { status, stdout: stdout ?? '', stderr: stderr ?? '' };
  }

  private must(program: string, args: string[]): string {
    const { status, stdout, stderr } = this.run(program, args);
    if (status !== 0) {
      throw new AppError(
        'database_failed',
        `The database could not be started (${program}): ${stderr.trim() || `see ${this.folder}/server.log`}`,
      );
    }
    return stdout.trim();
  }
}

function findPrograms(): string {
  const versions = existsSync(DEBIAN_POSTGRES) ? readdirSync(DEBIAN_POSTGRES) : [];
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0];
  if (!newest) throw new AppError('program_missing', 'PostgreSQL is not installed. ./start installs it.');
  return join(DEBIAN_POSTGRES, newest, 'bin');
}

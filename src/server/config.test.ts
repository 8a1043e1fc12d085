import { describe, expect, it } from '@jest/globals';
import { resolve } from 'node:path';
import { AppError } from '../core/errors.ts';
import { readConfig } from './config.ts';

const refused = (env: NodeJS.ProcessEnv): [string, string] => {
  try {
    readConfig(env);
  } catch (error) {
    if (error instanceof AppError) return [error.code, error.message];
    throw error;
  }
  throw new Error('was taken');
};

describe('settings from the environment', () => {
  it('have defaults: a data folder here, our own database on loopback, the demo', () => {
    const config = readConfig({});
    expect(config).toMatchObject({
      data: resolve('data'),
      port: 7373,
      databasePort: 7374,
      ownDatabase: true,
      demo: true,
      keepDeleted: 15 * 60_000,
      maxUpload: 64 * 2 ** 30,
      storeBudget: 20 * 2 ** 30,
    });
    expect(config.databaseUrl).toMatch(/^postgres:\/\/mnestra:[0-9a-f]{24}@127\.0\.0\.1:7374\/mnestra$/);
  });

  it('give every data folder a password of its own, always the same one', () => {
    const [one, again, other] = ['/a', '/a', '/b'].map((dir) => readConfig({ MNESTRA_DATA: dir }).databaseUrl);
    expect([again === one, other === one]).toEqual([true, false]);
  });

  it('are numbers where they look like them, and whole folders', () => {
    const config = readConfig({
      MNESTRA_DATA: '/srv/../srv/m',
      MNESTRA_PORT: '8080',
      MNESTRA_DATABASE_PORT: '8081',
      MNESTRA_MAX_UPLOAD_GIB: '0.5',
      MNESTRA_KEEP_DELETED_MINUTES: '0',
      MNESTRA_DEMO: 'off',
    });
    expect(config).toMatchObject({
      data: '/srv/m',
      port: 8080,
      databasePort: 8081,
      maxUpload: 2 ** 29,
      keepDeleted: 0,
      demo: false,
    });
  });

  it('leave a database alone that is somebody else’s', () => {
    const url = 'postgresql://me@10.0.0.1/films';
    expect(readConfig({ MNESTRA_DATABASE_URL: url })).toMatchObject({ ownDatabase: false, databaseUrl: url });
  });

  it.each([
    ['MNESTRA_PORT', 'eighty'],
    ['MNESTRA_PORT', '70000'],
    ['MNESTRA_DATABASE_URL', 'mysql://localhost/x'],
    ['MNESTRA_DEMO', 'yes'],
    ['MNESTRA_STORE_GIB', '0'],
    ['MNESTRA_KEEP_DELETED_MINUTES', '-1'],
    ['MNESTRA_MEMORY_MIB', 'much'],
  ])('are refused by name: %s=%s', (name, value) => {
    const [code, message] = refused({ [name]: value });
    expect(code).toBe('bad_settings');
    expect(message).toContain(name);
  });
});

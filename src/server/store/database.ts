import { Sequelize } from 'sequelize';
import { SequelizeStorage, Umzug } from 'umzug';
import { defineClip } from './clip.ts';
import { defineExport } from './export.ts';
import { defineFollow } from './follow.ts';
import { MIGRATIONS } from './migrations.ts';
import { defineMatte } from './matte.ts';
import { definePlate } from './plate.ts';
import { defineSearch } from './search.ts';
import { defineReveal } from './reveal.ts';
import { defineJournal, defineShot, defineWish } from './shot.ts';
import { defineTake } from './take.ts';

/** Connects; models are defined on the connection. */
export function openDatabase(url: string): Sequelize {
  const database = new Sequelize(url, { dialect: 'postgres', logging: false, pool: { max: 8, acquire: 10_000 } });
  const models = [
    defineClip,
    defineShot,
    defineJournal,
    defineWish,
    defineTake,
    defineReveal,
    defineExport,
    defineFollow,
    defineSearch,
    defineMatte,
    definePlate,
  ];
  for (const define of models) define(database);
  return database;
}

/**
 * Brings the schema up to date. Safe to run again.
 * @param to - Name of the last migration that is wanted; without it all.
 */
export async function migrate(database: Sequelize, to?: string): Promise<string[]> {
  const umzug = new Umzug({
    migrations: MIGRATIONS.map(({ name, up }) => ({ name, up: () => database.transaction((t) => up(database, t)) })),
    storage: new SequelizeStorage({ sequelize: database, tableName: 'migrations' }),
    logger: undefined,
  });
  return (await umzug.up(to === undefined ? {} : { to })).map((m) => m.name);
}

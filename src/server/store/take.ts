import { createHash } from 'node:crypto';
import { DataTypes, type CreationOptional, type Sequelize } from 'sequelize';
import type { Marks } from '../../contract/document.ts';
import type { MadeWith, TakeView } from '../../contract/takes.ts';
import type { Trims } from '../../contract/trim.ts';
import { WORK_COLUMNS, WorkModel, workView } from './work.ts';

/** One computed result of a removal, with the marks and settings that made it. */
export class Take extends WorkModel<Take> {
  declare removalId: string;
  declare name: string;
  declare draft: boolean;
  declare settings: MadeWith;
  /** The removal as it was. */
  declare marks: Marks;
  /** Of everything that the take was computed from but its settings: see `basisHash`. */
  declare marksHash: string;
  /** Frames of the clip. */
  declare first: number;
  declare count: number;
  declare only: CreationOptional<TakeView['only']>;
  /** Ids of the takes beneath, in order. */
  declare beneath: string[];
  /** Hand trims of those beneath, as they were. */
  declare beneathTrims: CreationOptional<Trims>;
  /** Trims (see `trimsText`) that its playable copy was made with. */
  declare previewTrims: CreationOptional<string>;
  declare finished: CreationOptional<[number, number][]>;
  declare outcome: CreationOptional<TakeView['outcome']>;
  declare picked: CreationOptional<boolean>;
  declare createdAt: CreationOptional<Date>;
  declare deletedAt: CreationOptional<Date | null>;
}

export function defineTake(database: Sequelize): void {
  Take.init(
    {
      removalId: DataTypes.UUID,
      name: DataTypes.TEXT,
      draft: DataTypes.BOOLEAN,
      settings: DataTypes.JSONB,
      marks: DataTypes.JSONB,
      marksHash: DataTypes.TEXT,
      first: DataTypes.INTEGER,
      count: DataTypes.INTEGER,
      only: DataTypes.JSONB,
      beneath: DataTypes.JSONB,
      beneathTrims: { type: DataTypes.JSONB, defaultValue: {} },
      previewTrims: { type: DataTypes.TEXT, defaultValue: '' },
      ...WORK_COLUMNS,
      finished: { type: DataTypes.JSONB, defaultValue: [] },
      outcome: DataTypes.JSONB,
      picked: { type: DataTypes.BOOLEAN, defaultValue: false },
      createdAt: DataTypes.DATE,
      deletedAt: DataTypes.DATE,
    },
    { sequelize: database, tableName: 'takes', underscored: true, paranoid: true, timestamps: true },
  );
}

/** A short name of trims as text. */
export const trimsKey = (text: string): string =>
  text === '' ? '' : createHash('sha256').update(text).digest('hex').slice(0, 16);

/** @param trims - What decides on its picture now: see {@link trimsText}. */
export function takeView(take: Take, stale: boolean, trims: string): TakeView {
  const { id, shotId, removalId, name, draft, settings, first, count, beneath, finished, outcome, picked } = take;
  return {
    id,
    shotId,
    removalId,
    name,
    draft,
    settings,
    first,
    count,
    only: take.only ?? null,
    beneath,
    finished: finished.map(([a, b]) => [a + first, b + first]),
    picked,
    stale,
    trims: trimsKey(trims),
    playable: take.state === 'done' && take.previewTrims === trims,
    outcome: outcome ?? null,
    createdAt: take.createdAt.toISOString(),
    ...workView(take),
  };
}

import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from 'sequelize';
import type { MoverView, SearchView } from '../../contract/movers.ts';
import type { WorkState } from '../../contract/takes.ts';
import { WORK_COLUMNS, workView, type WorkRow } from './work.ts';

/** The newest search of a shot for what moves; the outlines that it found lie in a file. */
export class Search extends Model<InferAttributes<Search>, InferCreationAttributes<Search>> implements WorkRow {
  declare id: string;
  declare shotId: string;
  /** Frames of the clip. */
  declare first: number;
  declare count: number;
  declare movers: CreationOptional<MoverView[]>;
  declare state: CreationOptional<WorkState>;
  declare stage: CreationOptional<string>;
  declare progress: CreationOptional<number>;
  declare secondsLeft: CreationOptional<number | null>;
  declare cancel: CreationOptional<boolean>;
  declare error: CreationOptional<SearchView['error']>;
}

export function defineSearch(database: Sequelize): void {
  Search.init(
    {
      id: { type: DataTypes.UUID, primaryKey: true },
      shotId: DataTypes.UUID,
      first: DataTypes.INTEGER,
      count: DataTypes.INTEGER,
      movers: { type: DataTypes.JSONB, defaultValue: [] },
      ...WORK_COLUMNS,
    },
    { sequelize: database, tableName: 'searches', underscored: true, timestamps: true },
  );
}

export function searchView(row: Search): SearchView {
  const { id, shotId, first, count, movers } = row;
  return { id, shotId, from: first, to: first + count - 1, movers, ...workView(row) };
}

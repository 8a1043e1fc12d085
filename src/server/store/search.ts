import { DataTypes, type CreationOptional, type Sequelize } from 'sequelize';
import type { MoverView, SearchView } from '../../contract/movers.ts';
import { WORK_COLUMNS, WorkModel, workView } from './work.ts';

/** The newest search of a shot for what moves; the outlines that it found lie in a file. */
export class Search extends WorkModel<Search> {
  /** Frames of the clip. */
  declare first: number;
  declare count: number;
  declare movers: CreationOptional<MoverView[]>;
}

export function defineSearch(database: Sequelize): void {
  Search.init(
    {
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

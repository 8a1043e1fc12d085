import { DataTypes, type CreationOptional, type Sequelize } from 'sequelize';
import type { FollowView } from '../../contract/tracks.ts';
import { WORK_COLUMNS, WorkModel, workView } from './work.ts';

/** The newest following of a track or of an outline: what was asked for, and what was found so far. */
export class Follow extends WorkModel<Follow> {
  /** The track, or the shape with the outline. */
  declare targetId: string;
  /** Frames of the clip, inclusive. */
  declare first: number;
  declare last: number;
  /** The edit after which it was asked for. */
  declare completes: CreationOptional<string | null>;
  declare found: CreationOptional<FollowView['found']>;
}

export function defineFollow(database: Sequelize): void {
  Follow.init(
    {
      targetId: DataTypes.UUID,
      first: DataTypes.INTEGER,
      last: DataTypes.INTEGER,
      completes: DataTypes.UUID,
      found: { type: DataTypes.JSONB, defaultValue: {} },
      ...WORK_COLUMNS,
    },
    { sequelize: database, tableName: 'follows', underscored: true, timestamps: true },
  );
}

export function followView(row: Follow): FollowView {
  const { id, shotId, targetId, found } = row;
  return { id, shotId, targetId, found, ...workView(row) };
}

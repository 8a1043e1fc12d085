import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from 'sequelize';
import type { WorkState } from '../../contract/takes.ts';
import type { FollowView } from '../../contract/tracks.ts';
import { WORK_COLUMNS, workView, type WorkRow } from './work.ts';

/** The newest following of a track or of an outline: what was asked for, and what was found so far. */
export class Follow extends Model<InferAttributes<Follow>, InferCreationAttributes<Follow>> implements WorkRow {
  declare id: string;
  declare shotId: string;
  /** The track, or the shape with the outline. */
  declare targetId: string;
  /** Frames of the clip, inclusive. */
  declare first: number;
  declare last: number;
  /** The edit after which it was asked for. */
  declare completes: CreationOptional<string | null>;
  declare found: CreationOptional<FollowView['found']>;
  declare state: CreationOptional<WorkState>;
  declare stage: CreationOptional<string>;
  declare progress: CreationOptional<number>;
  declare secondsLeft: CreationOptional<number | null>;
  declare cancel: CreationOptional<boolean>;
  declare error: CreationOptional<FollowView['error']>;
}

export function defineFollow(database: Sequelize): void {
  Follow.init(
    {
      id: { type: DataTypes.UUID, primaryKey: true },
      shotId: DataTypes.UUID,
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

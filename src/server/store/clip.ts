import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from 'sequelize';
import type { ClipFacts, ClipView } from '../../contract/clips.ts';
import type { ClipInfo } from '../../media/probe.ts';

/** A clip. A deleted one keeps its row and files until they are purged, so that deleting can be undone. */
export class Clip extends Model<InferAttributes<Clip>, InferCreationAttributes<Clip>> {
  declare id: string;
  declare name: string;
  declare size: number;
  declare state: ClipView['state'];
  declare stage: CreationOptional<string>;
  declare progress: CreationOptional<number>;
  /** SHA-256 of the file's bytes: its name in the data folder. */
  declare hash: CreationOptional<string | null>;
  /** Ending of the name it came with, with the dot. */
  declare extension: string;
  /** Where the upload lies until the file has its place. */
  declare upload: CreationOptional<string | null>;
  declare error: CreationOptional<{ code: string; message: string } | null>;
  declare info: CreationOptional<ClipFacts | null>;
  /** Presentation time of each frame, seconds. */
  declare times: CreationOptional<number[] | null>;
  declare createdAt: CreationOptional<Date>;
  declare deletedAt: CreationOptional<Date | null>;
}

export function defineClip(database: Sequelize): void {
  Clip.init(
    {
      id: { type: DataTypes.UUID, primaryKey: true },
      name: DataTypes.TEXT,
      // bigint comes as text; sizes stay far below 2⁵³.
      size: {
        type: DataTypes.BIGINT,
        get() {
          return Number(this.getDataValue('size'));
        },
      },
      state: DataTypes.TEXT,
      stage: { type: DataTypes.TEXT, defaultValue: '' },
      progress: { type: DataTypes.REAL, defaultValue: 0 },
      hash: DataTypes.TEXT,
      extension: DataTypes.TEXT,
      upload: DataTypes.TEXT,
      error: DataTypes.JSONB,
      info: DataTypes.JSONB,
      times: DataTypes.JSONB,
      createdAt: DataTypes.DATE,
      deletedAt: DataTypes.DATE,
    },
    { sequelize: database, tableName: 'clips', underscored: true, paranoid: true, timestamps: true },
  );
}

/** What the media room needs to know of a ready clip. */
export function clipInfo(clip: Clip): ClipInfo {
  const { stripPictures: _, width, height, ...facts } = clip.info!;
  const turned = facts.rotation % 180 === 90;
  const stored = { width: turned ? height : width, height: turned ? width : height };
  return { ...facts, ...stored, times: clip.times! };
}

export function clipView(clip: Clip): ClipView {
  const { id, name, size, state, stage, progress, error, info, createdAt } = clip;
  return {
    id,
    name,
    size,
    state,
    stage,
    progress,
    error: error ?? null,
    info: info ?? null,
    createdAt: createdAt.toISOString(),
  };
}

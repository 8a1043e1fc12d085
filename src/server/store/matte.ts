import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from 'sequelize';
import type { MatteView } from '../../contract/mattes.ts';
import type { WorkState } from '../../contract/takes.ts';
import { WORK_COLUMNS, workView, type WorkRow } from './work.ts';

/** A matte that was brought in; its frames lie in a file, and the document says how they are used. */
export class Matte extends Model<InferAttributes<Matte>, InferCreationAttributes<Matte>> implements WorkRow {
  declare id: string;
  declare shotId: string;
  declare name: string;
  /** Name of the uploaded file, until it has been read. */
  declare upload: CreationOptional<string | null>;
  declare state: CreationOptional<WorkState>;
  declare stage: CreationOptional<string>;
  declare progress: CreationOptional<number>;
  declare secondsLeft: CreationOptional<number | null>;
  declare cancel: CreationOptional<boolean>;
  declare error: CreationOptional<MatteView['error']>;
  declare createdAt: CreationOptional<Date>;
}

export function defineMatte(database: Sequelize): void {
  Matte.init(
    {
      id: { type: DataTypes.UUID, primaryKey: true },
      shotId: DataTypes.UUID,
      name: DataTypes.TEXT,
      upload: DataTypes.TEXT,
      ...WORK_COLUMNS,
      createdAt: DataTypes.DATE,
    },
    { sequelize: database, tableName: 'mattes', underscored: true, timestamps: true },
  );
}

export function matteView(row: Matte): MatteView {
  const { id, shotId, name } = row;
  return { id, shotId, name, ...workView(row) };
}

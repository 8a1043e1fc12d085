import { DataTypes, type CreationOptional, type Sequelize } from 'sequelize';
import type { MatteView, SoftenBody } from '../../contract/mattes.ts';
import { WORK_COLUMNS, WorkModel, workView } from './work.ts';

/** The shape whose outline becomes a matte, and how. */
export interface OutlineOrigin extends SoftenBody {
  shapeId: string;
}

/** A matte that was brought in or made of an outline; its frames lie in a file, and the document says how they are used. */
export class Matte extends WorkModel<Matte> {
  declare name: string;
  /** Name of the uploaded file, until it has been read. */
  declare upload: CreationOptional<string | null>;
  /** What it is made of, if it was not brought in. */
  declare outline: CreationOptional<OutlineOrigin | null>;
  declare createdAt: CreationOptional<Date>;
}

export function defineMatte(database: Sequelize): void {
  Matte.init(
    {
      name: DataTypes.TEXT,
      upload: DataTypes.TEXT,
      outline: DataTypes.JSONB,
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

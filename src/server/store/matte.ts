import { DataTypes, type CreationOptional, type Sequelize } from 'sequelize';
import type { MatteView } from '../../contract/mattes.ts';
import { WORK_COLUMNS, WorkModel, workView } from './work.ts';

/** A matte that was brought in; its frames lie in a file, and the document says how they are used. */
export class Matte extends WorkModel<Matte> {
  declare name: string;
  /** Name of the uploaded file, until it has been read. */
  declare upload: CreationOptional<string | null>;
  declare createdAt: CreationOptional<Date>;
}

export function defineMatte(database: Sequelize): void {
  Matte.init(
    {
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

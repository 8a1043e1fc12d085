import { DataTypes, type CreationOptional, type Sequelize } from 'sequelize';
import type { PlateBody, PlateView } from '../../contract/plates.ts';
import { WORK_COLUMNS, WorkModel, workView } from './work.ts';

/** A plate of a removal; its picture lies in a file, and the document says where it is used. */
export class Plate extends WorkModel<Plate> {
  declare removalId: string;
  declare name: string;
  /** Frame of the clip at which it lies. */
  declare frame: number;
  /** How it is built; without it, a picture was brought in. */
  declare built: CreationOptional<Pick<PlateBody, 'first' | 'last' | 'statistic'> | null>;
  /** Name of the uploaded picture, until it has been read. */
  declare upload: CreationOptional<string | null>;
  declare createdAt: CreationOptional<Date>;
}

export function definePlate(database: Sequelize): void {
  Plate.init(
    {
      removalId: DataTypes.UUID,
      name: DataTypes.TEXT,
      frame: DataTypes.INTEGER,
      built: DataTypes.JSONB,
      upload: DataTypes.TEXT,
      ...WORK_COLUMNS,
      createdAt: DataTypes.DATE,
    },
    { sequelize: database, tableName: 'plates', underscored: true, timestamps: true },
  );
}

export function plateView(row: Plate): PlateView {
  const { id, shotId, removalId, name, frame } = row;
  return { id, shotId, removalId, name, frame, ...workView(row) };
}

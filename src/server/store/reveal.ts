import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from 'sequelize';
import type { Marks } from '../../contract/document.ts';
import type { RevealView } from '../../contract/takes.ts';

export interface RevealTask {
  marks: Marks;
  /** Of the things that come after it, which are not filled when it is. */
  beside?: Marks[];
  first: number;
  count: number;
  /** The search for what moves that the coverage is watched with. */
  search?: string;
}

/** The newest reveal of a removal: one row, whose `key` names what it is computed from. */
export class Reveal extends Model<InferAttributes<Reveal>, InferCreationAttributes<Reveal>> {
  declare shotId: string;
  declare removalId: string;
  declare key: string;
  declare task: RevealTask;
  declare state: RevealView['state'];
  declare progress: CreationOptional<number>;
  declare error: CreationOptional<RevealView['error']>;
  declare updatedAt: CreationOptional<Date>;
}

export function defineReveal(database: Sequelize): void {
  Reveal.init(
    {
      shotId: { type: DataTypes.UUID, primaryKey: true },
      removalId: { type: DataTypes.UUID, primaryKey: true },
      key: DataTypes.TEXT,
      task: DataTypes.JSONB,
      state: DataTypes.TEXT,
      progress: { type: DataTypes.REAL, defaultValue: 0 },
      error: DataTypes.JSONB,
      updatedAt: DataTypes.DATE,
    },
    { sequelize: database, tableName: 'reveals', underscored: true, timestamps: true },
  );
}

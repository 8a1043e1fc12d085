import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from 'sequelize';
import type { ShotDocument } from '../../contract/document.ts';
import type { PatchOperation, ShotView } from '../../contract/shots.ts';

/** A shot with its document. `head` counts the journal entries in force. */
export class Shot extends Model<InferAttributes<Shot>, InferCreationAttributes<Shot>> {
  declare id: string;
  declare clipId: string;
  declare name: string;
  declare first: number;
  declare last: number;
  declare handleBefore: number;
  declare handleAfter: number;
  declare document: ShotDocument;
  declare revision: CreationOptional<number>;
  declare head: CreationOptional<number>;
  declare createdAt: CreationOptional<Date>;
  declare deletedAt: CreationOptional<Date | null>;
}

export function defineShot(database: Sequelize): void {
  Shot.init(
    {
      id: { type: DataTypes.UUID, primaryKey: true },
      clipId: DataTypes.UUID,
      name: DataTypes.TEXT,
      first: DataTypes.INTEGER,
      last: DataTypes.INTEGER,
      handleBefore: DataTypes.INTEGER,
      handleAfter: DataTypes.INTEGER,
      document: DataTypes.JSONB,
      revision: { type: DataTypes.INTEGER, defaultValue: 0 },
      head: { type: DataTypes.INTEGER, defaultValue: 0 },
      createdAt: DataTypes.DATE,
      deletedAt: DataTypes.DATE,
    },
    { sequelize: database, tableName: 'shots', underscored: true, paranoid: true, timestamps: true },
  );
}

/** One edit of a shot's document and what takes it back. */
export class JournalEntry extends Model<InferAttributes<JournalEntry>, InferCreationAttributes<JournalEntry>> {
  declare shotId: string;
  declare seq: number;
  declare editId: string;
  declare label: string;
  declare patch: PatchOperation[];
  declare inverse: PatchOperation[];
  /** The edit that this one was made to complete: undone and made again together with it, if it is the one before. */
  declare completes: CreationOptional<string | null>;
}

export function defineJournal(database: Sequelize): void {
  JournalEntry.init(
    {
      shotId: { type: DataTypes.UUID, primaryKey: true },
      seq: { type: DataTypes.INTEGER, primaryKey: true },
      editId: DataTypes.UUID,
      label: DataTypes.TEXT,
      patch: DataTypes.JSONB,
      inverse: DataTypes.JSONB,
      completes: DataTypes.UUID,
    },
    { sequelize: database, tableName: 'journal', underscored: true, timestamps: false },
  );
}

/** An edit or a step of undo that a shot's document has: the same wish that comes again changes nothing. */
export class Wish extends Model<InferAttributes<Wish>, InferCreationAttributes<Wish>> {
  declare id: string;
  declare shotId: string;
}

export function defineWish(database: Sequelize): void {
  Wish.init(
    { id: { type: DataTypes.UUID, primaryKey: true }, shotId: DataTypes.UUID },
    { sequelize: database, tableName: 'wishes', underscored: true, timestamps: false },
  );
}

export function shotView(shot: Shot): ShotView {
  const { id, clipId, name, first, last, handleBefore, handleAfter, createdAt } = shot;
  return { id, clipId, name, first, last, handleBefore, handleAfter, createdAt: createdAt.toISOString() };
}

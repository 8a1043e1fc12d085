import { DataTypes, type CreationOptional, type Sequelize } from 'sequelize';
import type { ExportKind, ExportView } from '../../contract/takes.ts';
import { WORK_COLUMNS, WorkModel, workView } from './work.ts';

/** One file to take away. */
export class Export extends WorkModel<Export> {
  declare kind: ExportKind;
  declare removalId: CreationOptional<string | null>;
  declare fileName: string;
  declare size: CreationOptional<number | null>;
  declare createdAt: CreationOptional<Date>;
}

export function defineExport(database: Sequelize): void {
  Export.init(
    {
      kind: DataTypes.TEXT,
      removalId: DataTypes.UUID,
      fileName: DataTypes.TEXT,
      ...WORK_COLUMNS,
      // bigint comes as text; sizes stay far below 2⁵³.
      size: {
        type: DataTypes.BIGINT,
        get() {
          const size = this.getDataValue('size') as number | string | null | undefined;
          return size === null || size === undefined ? null : Number(size);
        },
      },
      createdAt: DataTypes.DATE,
    },
    { sequelize: database, tableName: 'exports', underscored: true, timestamps: true },
  );
}

export function exportView(row: Export): ExportView {
  const { id, shotId, kind, fileName, size, createdAt } = row;
  return { id, shotId, kind, fileName, size: size ?? null, createdAt: createdAt.toISOString(), ...workView(row) };
}

import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { WorkProgress, WorkState } from '../../contract/takes.ts';

/** What rows of work (takes, exports) have in common. */
export interface WorkRow extends Model {
  id: string;
  state: WorkState;
  stage: string;
  progress: number;
  secondsLeft: number | null;
  /** Somebody wants it stopped. */
  cancel: boolean;
  error: WorkProgress['error'];
}

/** A row of work of a shot. */
export abstract class WorkModel<M extends Model>
  extends Model<InferAttributes<M>, InferCreationAttributes<M>>
  implements WorkRow
{
  declare id: string;
  declare shotId: string;
  declare state: CreationOptional<WorkState>;
  declare stage: CreationOptional<string>;
  declare progress: CreationOptional<number>;
  declare secondsLeft: CreationOptional<number | null>;
  declare cancel: CreationOptional<boolean>;
  declare error: CreationOptional<WorkProgress['error']>;
}

export const WORK_COLUMNS = {
  id: { type: DataTypes.UUID, primaryKey: true },
  shotId: DataTypes.UUID,
  state: { type: DataTypes.TEXT, defaultValue: 'queued' },
  stage: { type: DataTypes.TEXT, defaultValue: 'waiting' },
  progress: { type: DataTypes.REAL, defaultValue: 0 },
  secondsLeft: DataTypes.REAL,
  cancel: { type: DataTypes.BOOLEAN, defaultValue: false },
  error: DataTypes.JSONB,
};

export function workView({ state, stage, progress, secondsLeft, error }: WorkRow): WorkProgress {
  return { state, stage, progress, secondsLeft: secondsLeft ?? null, error: error ?? null };
}

/** Stops work: what waits at once, what runs as soon as it hears of it; what has ended stays as it is. */
export async function cancelWork(row: WorkRow): Promise<void> {
  if (row.state === 'queued') await row.update({ state: 'cancelled', secondsLeft: null });
  else if (row.state === 'running') await row.update({ cancel: true });
}

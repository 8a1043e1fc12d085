import type { EditBody } from '../../contract/shots.ts';
import { ShotService } from '../services/shots.ts';
import { Shot } from '../store/shot.ts';
import type { JobContext } from './runWork.ts';

/**
 * Writes what work has found into the document of its shot, as it is known; the edit has the work's id, so that it counts once
 * however often this is done.
 */
export async function commitEdit(
  work: { id: string; shotId: string },
  { revision }: Shot,
  edit: Pick<EditBody, 'label' | 'patch'> & { completes?: string | null },
  { tell }: JobContext,
): Promise<void> {
  const { completes, ...own } = edit;
  const body = { ...own, editId: work.id, base: revision, ...(completes && { completes }) };
  await new ShotService(Shot.sequelize!, tell).edit(work.shotId, body);
}

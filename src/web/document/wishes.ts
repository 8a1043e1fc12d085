import type { EditBody, StepBody } from '../../contract/shots.ts';

export type Direction = 'undo' | 'redo';

/** A step back or forth that was asked for. */
export interface Step extends StepBody {
  direction: Direction;
}

/** What a person did and the server has not confirmed. It is sent in order, each once. */
export type Wish = EditBody | Step;

export const isEdit = (wish: Wish): wish is EditBody => 'editId' in wish;

export const wishId = (wish: Wish): string => (isEdit(wish) ? wish.editId : wish.stepId);

export interface Standing {
  /** Edits of the queue that are in force at its end, in order. */
  edits: EditBody[];
  /** What steps at its end took back, each with the edits of the queue that it was: none where it was the server's. */
  undone: EditBody[][];
  /** Steps in force that are the server's: they take back what it had before the queue. */
  beneath: number;
}

/** What is in force after a queue of wishes, by what the server will do with them. */
export function standing(queue: readonly Wish[]): Standing {
  return walk(queue, () => undefined);
}

/** A queue without an edit that was refused, and without the steps that were for it alone. */
export function withoutRefused(queue: readonly Wish[], editId: string): Wish[] {
  const dropped = new Set([editId]);
  walk(queue, (step, edits) => {
    if (edits.length === 1 && edits[0].editId === editId) dropped.add(step.stepId);
  });
  return queue.filter((wish) => !dropped.has(wishId(wish)));
}

function walk(queue: readonly Wish[], see: (step: Step, edits: EditBody[]) => void): Standing {
  const edits: EditBody[] = [];
  let undone: EditBody[][] = [];
  let beneath = 0;
  for (const wish of queue) {
    if (isEdit(wish)) {
      edits.push(wish);
      undone = [];
    } else if (wish.direction === 'undo') {
      const back = takeLastStep(edits);
      if (back.length === 0) beneath++;
      undone.push(back);
      see(wish, back);
    } else {
      const again = undone.pop();
      if (again?.length === 0) beneath--;
      edits.push(...(again ?? []));
      see(wish, again ?? []);
    }
  }
  return { edits, undone, beneath };
}

/** Takes the last edit from a list, and those before it that it completes. */
function takeLastStep(edits: EditBody[]): EditBody[] {
  const step: EditBody[] = [];
  do step.unshift(...edits.splice(-1));
  while (edits.length > 0 && edits.at(-1)!.editId === step[0].completes);
  return step;
}

import { describe, expect, it } from '@jest/globals';
import type { EditBody } from '../../contract/shots.ts';
import { standing, withoutRefused, wishId, type Step, type Wish } from './wishes.ts';

const edit = (editId: string, completes?: string): EditBody => ({
  editId,
  base: 0,
  label: editId,
  patch: [],
  completes,
});
let steps = 0;
const undo = (): Step => ({ stepId: `undo ${steps++}`, direction: 'undo' });
const redo = (): Step => ({ stepId: `redo ${steps++}`, direction: 'redo' });
const after = (...queue: Wish[]): [string, string[]] => {
  const { edits, undone } = standing(queue);
  const ids = (list: EditBody[]): string => list.map((e) => e.editId).join('');
  return [ids(edits), undone.map(ids)];
};

describe('what is in force after a queue of wishes', () => {
  it.each<[string, Wish[], string, string[]]>([
    ['edits, in order', [edit('a'), edit('b')], 'ab', []],
    ['not what was taken back', [edit('a'), edit('b'), undo()], 'a', ['b']],
    ['step by step', [edit('a'), edit('b'), undo(), undo()], '', ['b', 'a']],
    ['what was made again', [edit('a'), edit('b'), undo(), undo(), redo()], 'a', ['b']],
    ['nothing of steps that are the server’s', [undo(), undo(), redo()], '', ['']],
    ['a new edit, after which nothing is made again', [edit('a'), undo(), edit('b')], 'b', []],
    ['edits that complete one another as one', [edit('a'), edit('b', 'a'), edit('c', 'b'), undo()], '', ['abc']],
    ['only those of them that are in the queue', [edit('b', 'a'), undo()], '', ['b']],
    [
      'an edit that completes one which lies farther back by itself',
      [edit('a'), edit('x'), edit('b', 'a'), undo()],
      'ax',
      ['b'],
    ],
  ])('has %s', (_, queue, edits, undone) => {
    expect(after(...queue)).toEqual([edits, undone]);
  });
});

describe('steps that are the server’s', () => {
  it.each<[string, Wish[], number]>([
    ['are those that find no edit before them', [edit('a'), undo(), undo(), undo()], 2],
    ['are none once they are made again', [undo(), undo(), redo(), redo(), redo()], 0],
    ['stay in force under a new edit', [undo(), edit('a'), undo()], 1],
    ['are not those that make an edit of the queue again', [undo(), edit('a'), undo(), redo()], 1],
  ])('%s', (_, queue, beneath) => {
    expect(standing(queue).beneath).toBe(beneath);
  });
});

describe('a queue without an edit that was refused', () => {
  it('loses the steps that were for it alone, and no others', () => {
    const [back, again, backAgain, further] = [undo(), redo(), undo(), undo()];
    const queue = [edit('a'), back, again, backAgain, further, edit('b')];
    expect(withoutRefused(queue, 'a').map(wishId)).toEqual([further.stepId, 'b']);
  });

  it('keeps a step that is for more than it', () => {
    const back = undo();
    expect(withoutRefused([edit('a'), edit('b', 'a'), back], 'a').map(wishId)).toEqual(['b', back.stepId]);
  });
});

import { beforeEach, describe, expect, it } from '@jest/globals';
import type { PlateView } from '../../../contract/plates.ts';
import { addRemoval } from '../../document/edits.ts';
import { answerQuietly, openQuietly, refusal, startQuietly, tell, type Asked } from '../../testing/quietServer.ts';
import { usePlates } from './platesStore.ts';

const plate = (id: string, removalId = 'r'): PlateView => ({
  ...{ id, shotId: 's', removalId, name: 'Plate', frame: 3, state: 'running', stage: 'gather', progress: 0.5 },
  ...{ error: null, secondsLeft: null, createdAt: '' },
});
const BODY = { removalId: 'r', frame: 3, statistic: 'mean' as const };

let asked: Asked[];
/** What the server makes, and answers of it that are still on their way. */
let made: PlateView[];
let late: ((response: Response) => void)[] | undefined;
let refuses: boolean;

async function bench() {
  const doc = await openQuietly();
  asked = answerQuietly(({ method, path }) => {
    if (method === 'GET' && late) return new Promise((resolve) => late!.push(resolve)) as never;
    if (method === 'GET') return made;
    if (refuses) return refusal('Nothing is seen behind it.');
    if (path.endsWith('/dismiss')) made = [];
    return plate('new');
  });
  const plates = usePlates();
  await plates.open();
  asked.length = 0;
  return { doc, plates };
}
const paths = (): string[] => asked.map(({ method, path }) => `${method} ${path}`);

beforeEach(() => {
  startQuietly(9);
  made = [plate('p'), plate('q', 'other')];
  late = undefined;
  refuses = false;
});

describe('plates that are being made', () => {
  it('are those of one thing', async () => {
    const { plates } = await bench();
    expect(plates.makingFor('r').map((p) => p.id)).toEqual(['p']);
    expect(plates.makingFor('other').map((p) => p.id)).toEqual(['q']);
    expect(plates.makingFor('nobody')).toEqual([]);
  });

  it('are listed again when the server has news of them, and of this shot alone', async () => {
    const { plates } = await bench();
    made = [plate('later')];
    tell({ kind: 'plate', shotId: 'another', plateId: 'x' } as never);
    tell({ kind: 'take', shotId: 's', takeId: 'x' } as never);
    expect(paths()).toEqual([]);
    tell({ kind: 'plate', shotId: 's', plateId: 'later' } as never);
    await new Promise((resolve) => setTimeout(resolve));
    expect(plates.makingFor('r').map((p) => p.id)).toEqual(['later']);
  });

  it('are what was asked for last, if an earlier answer comes late', async () => {
    const { plates } = await bench();
    late = [];
    tell({ kind: 'plate', shotId: 's', plateId: 'p' } as never);
    tell({ kind: 'plate', shotId: 's', plateId: 'p' } as never);
    late[1](Response.json([plate('newest')]));
    await new Promise((resolve) => setTimeout(resolve));
    late[0](Response.json([plate('old')]));
    await new Promise((resolve) => setTimeout(resolve));
    expect(plates.makingFor('r').map((p) => p.id)).toEqual(['newest']);
  });

  it('are built from marks that the server has: edits on their way go first', async () => {
    const { doc, plates } = await bench();
    doc.edit('Add a thing', (draft) => void addRemoval(draft));
    expect(doc.unsent).toBe(1);
    await plates.build(BODY);
    expect(doc.unsent).toBe(0);
    expect(paths()).toEqual(['POST /shots/s/plates', 'GET /shots/s/plates']);
    expect(asked[0].body).toEqual(BODY);
  });

  it('are refused in a sentence, and put away when that has been read', async () => {
    const { plates } = await bench();
    refuses = true;
    await expect(plates.build(BODY)).rejects.toThrow('Nothing is seen behind it.');
    refuses = false;
    await plates.dismiss('p');
    expect(paths()).toContain('POST /plates/p/dismiss');
    expect(plates.makingFor('r')).toEqual([]);
  });

  it('of the shot before are not shown while those of the next are asked for', async () => {
    const { plates } = await bench();
    late = [];
    void plates.open();
    expect(plates.makingFor('r')).toEqual([]);
  });
});

import { editBody, idParams, shotBody, shotChange, stepBody } from '../../contract/shots.ts';
import { revealParams } from '../../contract/takes.ts';
import type { ShotService } from '../services/shots.ts';
import { file, json, type Endpoint } from './endpoint.ts';

export function shotRoutes(shots: ShotService): Endpoint[] {
  const shapes = (kind: 'svg' | 'json', answers: string): Endpoint =>
    file({
      method: 'get',
      path: `/shots/:id/removals/:removalId/${kind}`,
      summary: 'The shapes of a removal, key by key',
      params: revealParams,
      answers,
      send: async ({ id, removalId }, response) => {
        const { text, name } = await shots.shapes(id, removalId, kind);
        response.attachment(name).type(answers).send(text);
      },
    });
  return [
    json({ method: 'get', path: '/shots', summary: 'All shots', work: () => shots.list() }),
    json({
      method: 'post',
      path: '/shots',
      summary: 'Make a shot of a range of a clip',
      body: shotBody,
      status: 201,
      work: (_, body) => shots.create(body),
    }),
    json({
      method: 'get',
      path: '/shots/:id',
      summary: 'A shot with its document, and what undo and redo would do',
      params: idParams,
      work: ({ id }) => shots.state(id),
    }),
    json({
      method: 'patch',
      path: '/shots/:id',
      summary: 'Change name, in, out or handles',
      params: idParams,
      body: shotChange,
      work: ({ id }, change) => shots.change(id, change),
    }),
    json({
      method: 'delete',
      path: '/shots/:id',
      summary: 'Delete a shot; it can be restored',
      params: idParams,
      status: 204,
      work: ({ id }) => shots.remove(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/restore',
      summary: 'Take back a deletion',
      params: idParams,
      work: ({ id }) => shots.restore(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/edits',
      summary:
        'Change the document by a patch (RFC 6902); a patch on an older revision is rebased or refused (conflict)',
      params: idParams,
      body: editBody,
      work: ({ id }, edit) => shots.edit(id, edit),
    }),
    ...stepRoutes(shots),
    shapes('svg', 'image/svg+xml'),
    shapes('json', 'application/json'),
  ];
}

function stepRoutes(shots: ShotService): Endpoint[] {
  const step = (direction: 'undo' | 'redo', summary: string): Endpoint =>
    json({
      method: 'post',
      path: `/shots/:id/${direction}`,
      summary,
      params: idParams,
      body: stepBody,
      work: ({ id }, { stepId }) => shots[direction](id, stepId),
    });
  return [
    step('undo', 'Take back the last edit in force; the same step asked for again changes nothing'),
    step('redo', 'Make the edit again that was taken back last; the same step asked for again changes nothing'),
  ];
}

import { moverParams } from '../../contract/movers.ts';
import { idParams } from '../../contract/shots.ts';
import type { MoverService } from '../services/movers.ts';
import { json, type Endpoint } from './endpoint.ts';

export function moverRoutes(movers: MoverService): Endpoint[] {
  return [
    json({
      method: 'get',
      path: '/shots/:id/movers',
      summary: 'What moves by itself in the shot, as far as it has been searched',
      params: idParams,
      work: ({ id }) => movers.view(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/movers',
      summary: 'Search the shot for what moves by itself',
      params: idParams,
      status: 202,
      work: ({ id }) => movers.search(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/movers/cancel',
      summary: 'Stop the search',
      params: idParams,
      work: ({ id }) => movers.cancel(id),
    }),
    ...(['whole', 'body'] as const).map((of) =>
      json({
        method: 'get',
        path: `/shots/:id/movers/:mover/${of === 'whole' ? 'outlines' : 'outlines-without-shadow'}`,
        summary: `The outline of a mover on each of its frames, ${of === 'whole' ? 'with' : 'without'} its shadow`,
        params: moverParams,
        work: ({ id, mover }) => movers.outlines(id, mover, of),
      }),
    ),
  ];
}

import { pointBody, shapeParams } from '../../contract/outlines.ts';
import { idParams } from '../../contract/shots.ts';
import { followBody } from '../../contract/tracks.ts';
import type { OutlineService } from '../services/outlines.ts';
import type { TrackService } from '../services/tracks.ts';
import { json, type Endpoint } from './endpoint.ts';

export function outlineRoutes(outlines: OutlineService, tracks: TrackService): Endpoint[] {
  return [
    json({
      method: 'post',
      path: '/shots/:id/outlines',
      summary: 'The outline of what is pointed at in a frame',
      params: idParams,
      body: pointBody,
      work: ({ id }, body) => outlines.point(id, body),
    }),
    json({
      method: 'post',
      path: '/shots/:id/shapes/:shapeId/follow',
      summary: 'Follow the outline of a shape from its anchors',
      params: shapeParams,
      body: followBody,
      status: 202,
      work: ({ id, shapeId }, body) => tracks.followOutline(id, shapeId, body),
    }),
  ];
}

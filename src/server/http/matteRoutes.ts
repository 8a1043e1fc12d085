import { mattePicture, RECT_HEADER, softenBody } from '../../contract/mattes.ts';
import { shapeParams } from '../../contract/outlines.ts';
import { idParams } from '../../contract/shots.ts';
import type { MatteService } from '../services/mattes.ts';
import { file, json, type Endpoint } from './endpoint.ts';

export function matteRoutes(mattes: MatteService): Endpoint[] {
  return [
    json({
      method: 'get',
      path: '/shots/:id/mattes',
      summary: 'Mattes that are being brought in, or could not be',
      params: idParams,
      work: ({ id }) => mattes.list(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/shapes/:shapeId/soften',
      summary: 'Make a matte of an outline, with the edge that the picture shows; it becomes a variant of the shape',
      params: shapeParams,
      body: softenBody,
      status: 202,
      work: ({ id, shapeId }, how) => mattes.soften(id, shapeId, how),
    }),
    json({
      method: 'post',
      path: '/mattes/:id/dismiss',
      summary: 'Stop bringing a matte in, or forget that it could not be',
      params: idParams,
      work: ({ id }) => mattes.dismiss(id),
    }),
    file({
      method: 'get',
      path: '/mattes/:id/frames/:frame',
      summary: `A frame of a matte that was brought in: its part above 0, whose place is in the header ${RECT_HEADER}`,
      params: mattePicture,
      answers: 'application/octet-stream',
      send: async ({ id, frame }, response) => {
        const { rect, values } = await mattes.picture(id, frame);
        response
          .set(RECT_HEADER, [rect.x, rect.y, rect.width, rect.height].join(','))
          // A matte's frames never change.
          .set('cache-control', 'private, max-age=31536000, immutable')
          .type('application/octet-stream')
          .send(Buffer.from(values.buffer, values.byteOffset, values.byteLength));
      },
    }),
  ];
}

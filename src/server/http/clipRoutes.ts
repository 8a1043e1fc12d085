import { clipParams, renameBody } from '../../contract/clips.ts';
import { frameParams } from '../../contract/takes.ts';
import type { ClipService } from '../services/clips.ts';
import type { PictureService } from '../services/pictures.ts';
import { file, json, type Endpoint } from './endpoint.ts';

/** A file that is named by the hash of what it shows never changes. */
export const FOREVER = { cacheControl: true, maxAge: '1y', immutable: true };

export function clipRoutes(clips: ClipService, pictures: PictureService): Endpoint[] {
  const derived = (kind: 'proxy' | 'strip', summary: string, answers: string): Endpoint =>
    file({
      method: 'get',
      path: `/clips/:id/${kind}`,
      summary,
      params: clipParams,
      answers,
      send: async ({ id }, response) => response.sendFile(await clips.derived(id, kind), FOREVER),
    });
  return [
    json({ method: 'get', path: '/clips', summary: 'All clips, newest first', work: () => clips.list() }),
    json({
      method: 'get',
      path: '/clips/:id',
      summary: 'One clip',
      params: clipParams,
      work: ({ id }) => clips.get(id),
    }),
    json({
      method: 'patch',
      path: '/clips/:id',
      summary: 'Rename a clip',
      params: clipParams,
      body: renameBody,
      work: ({ id }, { name }) => clips.rename(id, name),
    }),
    json({
      method: 'delete',
      path: '/clips/:id',
      summary: 'Delete a clip; it can be restored',
      params: clipParams,
      status: 204,
      work: ({ id }) => clips.remove(id),
    }),
    json({
      method: 'post',
      path: '/clips/:id/restore',
      summary: 'Take back a deletion',
      params: clipParams,
      work: ({ id }) => clips.restore(id),
    }),
    derived('proxy', 'All-intra proxy; frame n has the time n / rate', 'video/mp4'),
    derived('strip', 'Evenly spaced pictures side by side', 'image/jpeg'),
    file({
      method: 'get',
      path: '/clips/:id/frames/:frame',
      summary: 'One frame at full size, upright',
      params: frameParams,
      answers: 'image/png',
      send: async ({ id, frame }, response) => {
        const png = await pictures.ofClip(id, frame);
        response.set('cache-control', 'private, max-age=31536000, immutable').type('png').send(png);
      },
    }),
  ];
}

import { idParams } from '../../contract/shots.ts';
import { followBody, pointParams, trackParams } from '../../contract/tracks.ts';
import type { TrackService } from '../services/tracks.ts';
import { file, json, type Endpoint } from './endpoint.ts';

export function trackRoutes(tracks: TrackService): Endpoint[] {
  const table = (kind: 'csv' | 'json', answers: string): Endpoint =>
    file({
      method: 'get',
      path: `/shots/:id/tracks/:trackId/${kind}`,
      summary: 'Corners and confidence of a track, frame by frame',
      params: trackParams,
      answers,
      send: async ({ id, trackId }, response) => {
        const { text, name } = await tracks.table(id, trackId, kind);
        response.attachment(name).type(answers).send(text);
      },
    });
  return [
    json({
      method: 'get',
      path: '/shots/:id/follows',
      summary: 'The newest following of each track, with what it found so far',
      params: idParams,
      work: ({ id }) => tracks.list(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/tracks/:trackId/follow',
      summary: 'Follow a track where frames of it are missing',
      params: trackParams,
      body: followBody,
      status: 202,
      work: ({ id, trackId }, body) => tracks.follow(id, trackId, body),
    }),
    json({
      method: 'post',
      path: '/follows/:id/cancel',
      summary: 'Stop following; what was found stays',
      params: idParams,
      work: ({ id }) => tracks.cancel(id),
    }),
    json({
      method: 'get',
      path: '/shots/:id/tracks/:trackId/points/:frame',
      summary: 'What a track holds on to at a frame, and how much each place is trusted',
      params: pointParams,
      work: ({ id, trackId, frame }) => tracks.points(id, trackId, frame),
    }),
    table('csv', 'text/csv'),
    table('json', 'application/json'),
  ];
}

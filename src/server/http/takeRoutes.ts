import { idParams } from '../../contract/shots.ts';
import {
  exportBody,
  frameParams,
  keyParams,
  revealParams,
  takeBody,
  takeChange,
  trimsQuery,
} from '../../contract/takes.ts';
import type { ExportService } from '../services/exports.ts';
import type { PictureService } from '../services/pictures.ts';
import type { RevealService } from '../services/reveals.ts';
import type { TakeService } from '../services/takes.ts';
import { FOREVER } from './clipRoutes.ts';
import { file, json, type Endpoint } from './endpoint.ts';

export function takeRoutes(takes: TakeService, pictures: PictureService): Endpoint[] {
  const act = (verb: 'cancel' | 'resume' | 'restore' | 'preview', summary: string): Endpoint =>
    json({
      method: 'post',
      path: `/takes/:id/${verb}`,
      summary,
      params: idParams,
      work: ({ id }) => takes[verb](id),
    });
  return [
    json({
      method: 'get',
      path: '/shots/:id/takes',
      summary: 'Takes of a shot, oldest first',
      params: idParams,
      work: ({ id }) => takes.list(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/takes',
      summary: 'Compute a take of a removal as it stands',
      params: idParams,
      body: takeBody,
      status: 202,
      work: ({ id }, body) => takes.create(id, body),
    }),
    json({
      method: 'get',
      path: '/takes/:id',
      summary: 'One take and how far it is',
      params: idParams,
      work: ({ id }) => takes.get(id),
    }),
    json({
      method: 'patch',
      path: '/takes/:id',
      summary: 'Rename a take, or make it the pick',
      params: idParams,
      body: takeChange,
      work: ({ id }, change) => takes.change(id, change),
    }),
    act('cancel', 'Stop computing; what is finished stays'),
    act('resume', 'Go on with a take that failed or was stopped'),
    act('restore', 'Take back a deletion'),
    act('preview', 'Make the playable copy again, if hand trims have changed since'),
    json({
      method: 'delete',
      path: '/takes/:id',
      summary: 'Delete a take; it can be restored',
      params: idParams,
      status: 204,
      work: ({ id }) => takes.remove(id),
    }),
    file({
      method: 'get',
      path: '/takes/:id/proxy',
      summary: 'Playable copy of a finished take; its first frame is the take’s first',
      params: idParams,
      query: trimsQuery,
      answers: 'video/mp4',
      send: async ({ id }, response, { trims }) => response.sendFile(await pictures.takeProxy(id, trims), FOREVER),
    }),
    file({
      method: 'get',
      path: '/takes/:id/frames/:frame',
      summary: 'One finished frame of a take at full size, upright; frames are the clip’s',
      params: frameParams,
      query: trimsQuery,
      answers: 'image/png',
      send: async ({ id, frame }, response, { trims }) => {
        const png = await pictures.ofTake(id, frame, trims);
        response.set('cache-control', 'private, max-age=31536000, immutable').type('png').send(png);
      },
    }),
  ];
}

export function revealRoutes(reveals: RevealService): Endpoint[] {
  return [
    json({
      method: 'get',
      path: '/shots/:id/reveals/:removalId',
      summary: 'What the shot remembers behind a removal; is computed if it is not there',
      params: revealParams,
      work: ({ id, removalId }) => reveals.ask(id, removalId),
    }),
    json({
      method: 'post',
      path: '/shots/:id/reveals/:removalId/retry',
      summary: 'Try again after a failure',
      params: revealParams,
      work: ({ id, removalId }) => reveals.retry(id, removalId),
    }),
    file({
      method: 'get',
      path: '/reveals/:key/maps',
      summary: 'Maps of a reveal, one byte per cell, as its frames say',
      params: keyParams,
      answers: 'application/octet-stream',
      send: async ({ key }, response) => response.type('bin').sendFile(reveals.maps(key), FOREVER),
    }),
  ];
}

export function exportRoutes(exports: ExportService): Endpoint[] {
  return [
    json({
      method: 'get',
      path: '/shots/:id/exports',
      summary: 'Exports of a shot, newest first',
      params: idParams,
      work: ({ id }) => exports.list(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/exports',
      summary: 'Write a file of the shot from in to out, with all picks',
      params: idParams,
      body: exportBody,
      status: 202,
      work: ({ id }, body) => exports.create(id, body),
    }),
    json({
      method: 'post',
      path: '/exports/:id/cancel',
      summary: 'Stop writing',
      params: idParams,
      work: ({ id }) => exports.cancel(id),
    }),
    json({
      method: 'delete',
      path: '/exports/:id',
      summary: 'Delete an export and its file',
      params: idParams,
      status: 204,
      work: ({ id }) => exports.remove(id),
    }),
    file({
      method: 'get',
      path: '/exports/:id/file',
      summary: 'The file',
      params: idParams,
      answers: 'application/octet-stream',
      send: async ({ id }, response) => {
        const { path, name } = await exports.file(id);
        response.download(path, name);
      },
    }),
  ];
}

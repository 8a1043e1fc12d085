import { plateBody, platePicture } from '../../contract/plates.ts';
import { idParams } from '../../contract/shots.ts';
import type { PlateService } from '../services/plates.ts';
import { FOREVER } from './clipRoutes.ts';
import { file, json, type Endpoint } from './endpoint.ts';

export function plateRoutes(plates: PlateService): Endpoint[] {
  return [
    json({
      method: 'get',
      path: '/shots/:id/plates',
      summary: 'Plates that are being made, or could not be',
      params: idParams,
      work: ({ id }) => plates.list(id),
    }),
    json({
      method: 'post',
      path: '/shots/:id/plates',
      summary: 'Build a plate of a frame from what other frames show; it becomes the first source of its removal',
      params: idParams,
      body: plateBody,
      status: 202,
      work: ({ id }, body) => plates.build(id, body),
    }),
    json({
      method: 'post',
      path: '/plates/:id/dismiss',
      summary: 'Stop making a plate, or forget that it could not be made',
      params: idParams,
      work: ({ id }) => plates.dismiss(id),
    }),
    file({
      method: 'get',
      path: '/plates/:id/picture/:kind',
      summary: 'A plate as a picture: small, or whole as 16-bit PNG or TIFF, transparent where it knows nothing',
      params: platePicture,
      answers: 'image/png',
      send: async ({ id, kind }, response) => {
        const { path, name } = await plates.picture(id, kind);
        if (kind === 'small') response.sendFile(path, FOREVER);
        else response.download(path, name);
      },
    }),
  ];
}

import { donorBody } from '../../contract/donors.ts';
import { revealParams } from '../../contract/takes.ts';
import type { DonorService } from '../services/donors.ts';
import { json, type Endpoint } from './endpoint.ts';

export function donorRoutes(donors: DonorService): Endpoint[] {
  return [
    json({
      method: 'post',
      path: '/shots/:id/removals/:removalId/donor',
      summary: 'Where near a place the donor goes on from what surrounds the hole at its frame',
      params: revealParams,
      body: donorBody,
      work: ({ id, removalId }, body) => donors.fit(id, removalId, body),
    }),
  ];
}

import { demoState } from '../services/demo.ts';
import { json, type Endpoint } from './endpoint.ts';

/** @param data - The data folder. */
export const demoRoutes = (data: string): Endpoint[] => [
  json({
    method: 'get',
    path: '/demo',
    summary: 'Which demo clip is being made, if any',
    work: () => Promise.resolve(demoState(data)),
  }),
];

import type { Shot } from '../../demo/shot.ts';
import { action } from './action.ts';
import { behind } from './behind.ts';
import { buzz } from './buzz.ts';
import { cables } from './cables.ts';
import { dapple } from './dapple.ts';
import { dash, drive } from './dash.ts';
import { follow } from './follow.ts';
import { hunting } from './hunting.ts';
import { laneAhead, laneComing } from './lane.ts';
import { lamps } from './lamps.ts';
import { lettered, numbered } from './lettered.ts';
import { lowrate } from './lowrate.ts';
import { night } from './night.ts';
import { orbit } from './orbit.ts';
import { overhead } from './overhead.ts';
import { park } from './park.ts';
import { quay } from './quay.ts';
import { roofs } from './roofs.ts';
import { room } from './room.ts';
import { reedBed, shore } from './shore.ts';
import { rain, snow } from './snow.ts';
import { square } from './square.ts';
import { stamped } from './stamped.ts';
import { van } from './van.ts';

/** Shots of everyday kinds that the bench alone renders; nearly each of them showed a weakness when it was made. */
export const BENCH_SHOTS: readonly Shot[] = [
  quay,
  laneComing,
  laneAhead,
  shore,
  reedBed,
  square,
  follow,
  dapple,
  behind,
  orbit,
  hunting,
  cables,
  van,
  night,
  roofs,
  snow,
  rain,
  park,
  room,
  lamps,
  lowrate,
  stamped,
  overhead,
  action,
  buzz,
  lettered,
  numbered,
  dash,
  drive,
];

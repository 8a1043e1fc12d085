import type { Shot } from '../shot.ts';
import { boardwalk } from './boardwalk.ts';
import { duskLog } from './duskLog.ts';
import { fenFlight } from './fenFlight.ts';
import { granary } from './granary.ts';
import { millDoor } from './millDoor.ts';
import { panel } from './panel.ts';
import { phone } from './phone.ts';

export const SHOTS: readonly Shot[] = [boardwalk, millDoor, fenFlight, granary, panel, phone, duskLog];

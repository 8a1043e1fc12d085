import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { DemoComing, DemoState } from '../../contract/demo.ts';
import { writeWhole } from '../../media/writeWhole.ts';

// The demo footage is made by a process of its own, which leaves word here of how far it is.
const noteIn = (data: string): string => join(data, 'demo', 'coming.json');

/** Says which demo clip is being made; nothing takes the word back. @param data - The data folder. */
export function tellDemo(data: string, coming?: DemoComing): void {
  if (!coming) return rmSync(noteIn(data), { force: true });
  mkdirSync(join(data, 'demo'), { recursive: true });
  writeWhole(noteIn(data), Buffer.from(JSON.stringify(coming)));
}

/** Which demo clip is being made, if any. */
export function demoState(data: string): DemoState {
  try {
    return { coming: JSON.parse(readFileSync(noteIn(data), 'utf8')) as DemoComing };
  } catch {
    return { coming: null };
  }
}

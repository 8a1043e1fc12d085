import { readFileSync } from 'node:fs';
import { deserialize, serialize } from 'node:v8';
import type { Plate } from '../core/fill/plate.ts';
import { writeWhole } from './writeWhole.ts';

/** A plate as it is kept between a person's pictures and a fill: whatever frame it is laid at. */
export type StoredPlate = Omit<Plate, 'frame'>;

export const readPlate = (path: string): StoredPlate => deserialize(readFileSync(path)) as StoredPlate;

export const writePlate = (path: string, { rect, planes, known }: StoredPlate): void =>
  writeWhole(path, serialize({ rect, planes, known }));

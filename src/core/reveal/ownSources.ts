import { donorFrames, donorMap } from '../fill/donor.ts';
import type { Plate } from '../fill/plate.ts';
import type { Donor, SourceKind } from '../fill/settings.ts';
import { CAMERA_PLANE } from '../depth/frameMap.ts';
import { FREE, type MatteCells } from '../image/matteCells.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { regrade, REVEAL_LEVEL, type RevealMap } from './reveal.ts';

/** Whether a source shows places of a frame. @param places - Interleaved x, y, frame px; may be overwritten. @returns One per place. */
export type ShowsAt = (frame: number, places: Float64Array) => boolean[];

/** What a plate shows. */
export function plateShows(camera: CameraMotion, { frame: at, rect, known }: Omit<Plate, 'planes'>): ShowsAt {
  return (frame, places) => {
    if (!camera.sameScene(frame, at)) return new Array<boolean>(places.length / 2).fill(false);
    camera.map(frame, at, places);
    return eachPlace(places, (px, py) => {
      const [x, y] = [Math.round(px) - rect.x, Math.round(py) - rect.y];
      const inside = x >= 0 && y >= 0 && x < rect.width && y < rect.height;
      return inside && (known ? known[y * rect.width + x] === 1 : true);
    });
  };
}

/** What a donor area shows in any of its frames: what lies in view there, clear of all mattes. */
export function donorShows(camera: CameraMotion, donor: Donor, cells: MatteCells): ShowsAt {
  const map = donorMap(camera, donor);
  const { cell, cols, rows, state } = cells;
  const showsIn = (own: number, frame: number, places: Float64Array): boolean[] => {
    map.map(own, frame, places, CAMERA_PLANE);
    return eachPlace(places, (px, py) => {
      const [c, r] = [Math.floor(px / cell), Math.floor(py / cell)];
      return c >= 0 && r >= 0 && c < cols && r < rows && state[frame * cols * rows + r * cols + c] === FREE;
    });
  };
  return (own, places) => {
    const all = donorFrames(camera, own).map((frame) => showsIn(own, frame, places.slice()));
    return all[0].map((_, i) => all.some((shown) => shown[i]));
  };
}

/**
 * A reveal as a removal's own sources have it: without other frames nothing of it is seen in these; a plate or a donor
 * shows what they do not, or what comes before them in the order, wherever it reaches.
 *
 * @param shows - By source; others (texture, colours) invent, and show nothing.
 */
export function withOwnSources(
  reveal: RevealMap,
  cells: MatteCells,
  sources: readonly SourceKind[],
  shows: Partial<Record<SourceKind, ShowsAt>>,
): void {
  const { cell, cols } = cells;
  // The usual sources: nothing to look at.
  if (sources.includes('frames') && !sources.some((source) => shows[source])) return;
  const hole = [...reveal.map.keys()].filter((i) => reveal.map[i] !== REVEAL_LEVEL.none);
  const byFrames = sources.indexOf('frames');
  if (byFrames < 0) regrade(reveal, hole, 'unseen', cell);
  sources.forEach((source, order) => {
    const show = shows[source];
    if (!show) return;
    const asked = hole.filter(
      (i) => reveal.map[i] === REVEAL_LEVEL.unseen || (reveal.map[i] === REVEAL_LEVEL.thin && order < byFrames),
    );
    const places = Float64Array.from(
      asked.flatMap((i) => [((i % cols) + 0.5) * cell - 0.5, (Math.floor(i / cols) + 0.5) * cell - 0.5]),
    );
    const shown = show(reveal.frame, places);
    regrade(
      reveal,
      asked.filter((_, k) => shown[k]),
      'seen',
      cell,
    );
  });
}

const eachPlace = (places: Float64Array, shows: (x: number, y: number) => boolean): boolean[] =>
  Array.from({ length: places.length / 2 }, (_, k) => shows(places[2 * k], places[2 * k + 1]));

import { evenly } from '../core/evenly.ts';
import { CELL } from '../core/fill/offsetGrid.ts';
import { plateRect, type Plate } from '../core/fill/plate.ts';
import type { FillSettings } from '../core/fill/settings.ts';
import type { FrameFormat, Rect } from '../core/image/format.ts';
import { cellsUnder, type MatteCells } from '../core/image/matteCells.ts';
import type { CameraMotion } from '../core/motion/cameraMotion.ts';
import { bestAnchor, REVEAL_LEVEL } from '../core/reveal/reveal.ts';
import { ladder, NEAR_REACH, type VisibilityFinder } from '../core/reveal/visibility.ts';
import type { FrameChoice, GatheredFrame, PlateTask } from './engineTasks.ts';
import { contradictedOf, seenFrom } from './seenFrom.ts';

const MOST_PLATES = 4;
/** Frames beside its own that a completed picture's surroundings are fused from. */
const PLATE_SOURCES = 11;
/** Cells left unseen that no further plate is made for. */
const NEGLIGIBLE_CELLS = 40;

/** What is known of a take when the pictures that no frame shows are planned. */
export interface PlateGrounds {
  /** Per frame. */
  choices: readonly FrameChoice[];
  gathered: readonly GatheredFrame[];
  settings: FillSettings;
  frames: FrameFormat;
  cells: MatteCells;
  /** Asked for only if something has to be made up. */
  finder(): Promise<VisibilityFinder>;
  camera: CameraMotion;
  isWanted(frame: number): boolean;
}

/**
 * The completed pictures that serve the most frames. Where one lies is known before it is made: so all of them can be made at
 * the same time.
 */
export async function planPlates(grounds: PlateGrounds): Promise<Omit<PlateTask, 'local' | 'restless'>[]> {
  const { choices, gathered, settings, cells, camera } = grounds;
  const fromFrames = settings.sources.includes('frames');
  const maps = unseenMaps(grounds, fromFrames);
  if (!maps.some(Boolean)) return [];
  const finder = await grounds.finder();
  const tasks: Omit<PlateTask, 'local' | 'restless'>[] = [];
  while (tasks.length < MOST_PLATES) {
    const best = bestAnchor(maps, cells, finder);
    if (!best || (tasks.length > 0 && best.served < NEGLIGIBLE_CELLS)) break;
    const { frame } = best;
    // What surrounds the unseen part is fused from what the frame itself is filled from, and from about a dozen in all.
    const own = fromFrames ? choices[frame].sources : [];
    const near = fromFrames ? ladder(frame, Math.min(settings.reach, NEAR_REACH), choices.length) : [];
    const others = near.filter((s) => finder.sameScene(s, frame) && !own.includes(s));
    const sources = [frame, ...own, ...evenly(others, Math.max(0, PLATE_SOURCES - own.length))].sort((a, b) => a - b);
    const rect = plateRect(unseenBox(maps[frame]!, cells), grounds.frames, camera.data.background !== undefined);
    tasks.push({ frame, rect, sources, contradicted: seenFrom(frame, gathered.map(contradictedOf), camera) });
    forget(maps, { frame, rect }, cells, finder);
  }
  return tasks;
}

/** Per frame what of its hole has to be made up; undefined if there is nothing. */
function unseenMaps(
  { choices, gathered, cells, isWanted }: PlateGrounds,
  fromFrames: boolean,
): (Uint8Array | undefined)[] {
  const maps: (Uint8Array | undefined)[] = choices.map(({ reveal }) => {
    if (!isWanted(reveal.frame)) return undefined;
    if (!fromFrames) return reveal.map.map((level) => (level === REVEAL_LEVEL.none ? level : REVEAL_LEVEL.unseen));
    return reveal.unseen > 0 ? reveal.map.slice() : undefined;
  });
  for (const { frame, contradicted } of fromFrames ? gathered : []) {
    if (contradicted.length === 0) continue;
    const map = (maps[frame] ??= choices[frame].reveal.map.slice());
    for (const i of cellsUnder(cells, contradicted, CELL)) {
      if (map[i] !== REVEAL_LEVEL.none) map[i] = REVEAL_LEVEL.unseen;
    }
  }
  return maps;
}

function unseenBox(map: Uint8Array, { cell, cols, rows }: MatteCells): Rect {
  let [x0, y0, x1, y1] = [cols, rows, -1, -1];
  map.forEach((level, i) => {
    if (level !== REVEAL_LEVEL.unseen) return;
    const [x, y] = [i % cols, Math.floor(i / cols)];
    [x0, y0, x1, y1] = [Math.min(x0, x), Math.min(y0, y), Math.max(x1, x), Math.max(y1, y)];
  });
  return { x: x0 * cell, y: y0 * cell, width: (x1 - x0 + 1) * cell, height: (y1 - y0 + 1) * cell };
}

/** Marks as served every unseen cell that the plate covers. */
function forget(
  maps: (Uint8Array | undefined)[],
  plate: Pick<Plate, 'frame' | 'rect'>,
  cells: MatteCells,
  finder: VisibilityFinder,
): void {
  const { cell, cols } = cells;
  const inside = (u: number, v: number): boolean => {
    const [x, y] = [(u + 0.5) * cell, (v + 0.5) * cell];
    const { rect } = plate;
    return x >= rect.x + 4 && y >= rect.y + 4 && x < rect.x + rect.width - 4 && y < rect.y + rect.height - 4;
  };
  maps.forEach((map, t) => {
    if (!map || !finder.sameScene(t, plate.frame)) return;
    const m = finder.cellHomography(t, plate.frame);
    map.forEach((level, i) => {
      if (level !== REVEAL_LEVEL.unseen) return;
      const [x, y] = [i % cols, Math.floor(i / cols)];
      const q = 1 / (m[6] * x + m[7] * y + m[8]);
      if (inside((m[0] * x + m[1] * y + m[2]) * q, (m[3] * x + m[4] * y + m[5]) * q)) map[i] = REVEAL_LEVEL.none;
    });
  });
}

import type { Plane } from '../../demo/camera.ts';
import type { Renderer } from '../../demo/renderer.ts';
import type { Shot, Thing } from '../../demo/shot.ts';
import { room } from './room.ts';

/** Bands of light and dark over the picture, each so high where they lie, m, and so much lighter and darker. */
const [BAND, TIMES] = [0.5, 0.08];
const BANDS = 14;
/** Bands by which they wander from frame to frame. */
const WANDERS = 0.37;

/** The living room under lamps that flicker a hundred times a second: each row is read at another time, and light by another lamp's moment. */
export const lamps: Shot = {
  ...room,
  name: 'lamps',
  build(renderer) {
    const scene = room.build(renderer);
    const flicker = bands(renderer);
    return { ...scene, things: (t) => [...scene.things(t), flicker(Math.round(t * room.rate))] };
  },
};

function bands(renderer: Renderer): (frame: number) => Thing {
  const rows = 32 * BANDS;
  const texture = renderer.paint(renderer.texture(16, rows), (_x, y, out) => {
    const light = 1 + TIMES * Math.sin((2 * Math.PI * BANDS * y) / rows);
    out.set([light, light, light, 1]);
  });
  return (frame) => {
    const wandered = BAND * ((WANDERS * frame) % 1);
    const plane: Plane = {
      origin: [-3, 1.45 + (BAND * BANDS) / 2 + wandered, 1],
      across: [6, 0, 0],
      down: [0, -BAND * BANDS, 0],
    };
    return { kind: 'light', layer: { texture, multiply: true, plane } };
  };
}

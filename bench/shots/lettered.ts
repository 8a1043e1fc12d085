import type { Plane, Vec3 } from '../../demo/camera.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import type { Scene, Shot, Thing } from '../../demo/shot.ts';
import { paintedSign } from '../../demo/surfaces.ts';
import { follow } from './follow.ts';
import { van } from './van.ts';

/** Where something is put on a side of what moves: parts of the side from its left and its top. */
interface Place {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** A firm's sign on the van that drives through: the sign is to go, and the van stays. */
export const lettered: Shot = {
  ...van,
  name: 'lettered',
  build: (renderer) =>
    carried(van.build(renderer), 'van', paintedSign(renderer, 480, 240), {
      left: 0.13,
      top: 0.2,
      width: 0.24,
      height: 0.27,
    }),
};

/** A number on the back of a cyclist with whom the camera turns: the number is to go, and the cyclist stays. */
export const numbered: Shot = {
  ...follow,
  name: 'numbered',
  build: (renderer) =>
    carried(follow.build(renderer), 'cyclist', startNumber(renderer), {
      left: 0.441,
      top: 0.315,
      width: 0.055,
      height: 0.075,
    }),
};

/** What was to go stays, and what it carries goes. */
function carried(scene: Scene, body: string, texture: Texture, place: Place): Scene {
  return {
    ...scene,
    things: (t) =>
      scene.things(t).flatMap((thing): Thing[] => {
        if (thing.kind !== 'gone') return [thing];
        const stays: Thing = { ...thing, kind: 'moves' };
        if (thing.body !== body) return [stays];
        return [stays, { kind: 'gone', layer: { texture, plane: part(thing.layer.plane, place) } }];
      }),
  };
}

function part({ origin, across, down }: Plane, { left, top, width, height }: Place): Plane {
  const times = (v: Vec3, k: number): Vec3 => [v[0] * k, v[1] * k, v[2] * k];
  const [a, d] = [times(across, left), times(down, top)];
  return {
    // A hair nearer than the side that it is on.
    origin: [origin[0] + a[0] + d[0], origin[1] + a[1] + d[1], origin[2] + a[2] + d[2] - 0.002],
    across: times(across, width),
    down: times(down, height),
  };
}

function startNumber(renderer: Renderer): Texture {
  const [width, height] = [96, 112];
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const [u, v] = [x / width, y / height];
    const one = Math.abs(u - 0.3) < 0.06;
    const seven = Math.abs(v - 0.28) < 0.05 ? u > 0.45 && u < 0.85 : Math.abs(u - 0.8 + 0.4 * (v - 0.28)) < 0.06;
    const ink = v > 0.23 && v < 0.8 && (one || (seven && u > 0.45));
    out.set(ink ? [0.06, 0.06, 0.08, 1] : [0.86, 0.85, 0.8, 1]);
  });
}

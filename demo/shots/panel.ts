import { handUnrest, type Plane } from '../camera.ts';
import { mix, smoothstep } from '../noise.ts';
import { levels, mirroredRoom, SCREEN, steelPanel, TouchingHand, trackingDots } from '../panel.ts';
import type { Shot, Thing } from '../shot.ts';

const PANEL = { left: -1, top: 2.15, width: 2, height: 1.3, z: 1.3 };
/** How far behind the glass its mirrored room seems to stand, m. */
const ROOM_BEHIND = 2.4;

/** Handheld, close: twelve dots go from a glossy control screen, which a hand touches. No frame shows what they hide. */
export const panel: Shot = {
  name: 'panel',
  frames: 100,
  rate: 25,
  subframes: 3,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1120, k1: 0.01, readout: 0, shutter: 1 / 60 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '17', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [41, 42, 43, 44, 45].map(handUnrest);
    const { left, top, width, height, z } = PANEL;
    const whole: Plane = { origin: [left, top, z], across: [width, 0, 0], down: [0, -height, 0] };
    const screen = (nearer: number): Plane => ({
      origin: [left + SCREEN.left * width, top - SCREEN.top * height, z - nearer],
      across: [(SCREEN.right - SCREEN.left) * width, 0, 0],
      down: [0, (SCREEN.top - SCREEN.bottom) * height, 0],
    });
    const room: Plane = { origin: [-3.4, 3.6, z + ROOM_BEHIND], across: [6.8, 0, 0], down: [0, -4.2, 0] };
    const world: Thing[] = [
      { kind: 'still', layer: { texture: mirroredRoom(renderer, 1700, 1050), plane: room } },
      { kind: 'still', layer: { texture: levels(renderer, 1400, 940), plane: screen(-0.001) } },
      { kind: 'still', layer: { texture: steelPanel(renderer, 2800, 1820), plane: whole } },
    ];
    const dots: Thing = {
      kind: 'gone',
      layer: { texture: trackingDots(renderer, 1400, 940, 14), plane: screen(0.001) },
    };
    const hand = new TouchingHand(renderer);
    return {
      sensor: { vignette: 0.14, read: 1.3, shot: 0.05 },
      pose: (t) => ({
        position: [0.05 + 0.03 * unrest[3](t) + 0.02 * t, 1.5 + 0.025 * unrest[4](t), 0],
        yaw: -0.03 + 0.012 * unrest[0](t) - 0.012 * t,
        pitch: 0.01 + 0.011 * unrest[1](t),
        roll: 0.008 * unrest[2](t),
      }),
      things: (t) => {
        const there = smoothstep(0.7, 1.5, t) * smoothstep(3.5, 2.7, t);
        const tip = [mix(0.62, 0.13 + 0.05 * smoothstep(1.6, 2.5, t), there), mix(0.72, 1.6, there), z - 0.02] as const;
        return [...world, dots, { kind: 'moves', layer: hand.at(tip), body: 'hand' }];
      },
    };
  },
};

import { join } from 'node:path';
import { shotFiles } from '../demo/render.ts';
import type { Shot } from '../demo/shot.ts';
import { grow } from '../src/core/image/format.ts';
import { areaOf, type MaskPatch } from '../src/core/movers/maskPatch.ts';
import {
  followOutline,
  likeness,
  type FollowedOutline,
  type OutlineAnchor,
} from '../src/core/outline/followOutline.ts';
import { CLICK_RADIUS, type Hints, type Stroke } from '../src/core/outline/hints.ts';
import { pointOut } from '../src/core/outline/pointOut.ts';
import { loadKernels } from '../src/media/kernelFile.ts';
import { MotionCues } from '../src/media/motionCues.ts';
import { findCamera } from '../src/media/moversWork.ts';
import { probeClip } from '../src/media/probe.ts';
import { decodeSmall } from '../src/media/smallFrames.ts';
import { Footage } from './footage.ts';
import { MNESTRA, measureProcess, type Usage } from './measureProcess.ts';
import { Bodies, worstPlace } from './outlineTruth.ts';

/** An outline by pointing on one frame, against the truth (intersection over union). */
export interface PointScore {
  body: string;
  frame: number;
  /** Another body is close by or in front. */
  crowded: boolean;
  box: number;
  clicks: number;
  /** The longest that one answer took. */
  ms: number;
}

export interface FollowScore {
  body: string;
  from: number;
  /** Frames judged in which the body is there, and those of them with an outline. */
  frames: number;
  outlined: number;
  corrections: number;
  /** Mean over all judged frames; without an outline a frame counts 0. */
  mean: number;
}

export interface Outlines {
  points: PointScore[];
  follows: FollowScore[];
  /** `mnestra outline`, everything in it; and decoding alone. */
  outline: Usage;
  decode: Usage;
}

/** Frames in which all bodies are pointed at, evenly over the shot. */
const LOOKS = 6;
/** Frames that an outline is followed over, judged every few. */
const FOLLOWED = 50;
const EVERY = 5;
const MOST_CORRECTIONS = 2;
/** A person corrects what is worse than this. */
const GOOD = 0.85;
const BOX_SLACK = 0.03;

/** Points at the bodies of a rendered shot and follows them. Undefined if it has none. */
export async function benchOutlines(shot: Shot, folder: string, scratch: string): Promise<Outlines | undefined> {
  const { clip } = shotFiles(folder, shot);
  const bodies = await Bodies.of(shot);
  const looks = Array.from({ length: LOOKS }, (_, k) => Math.round(((k + 0.5) / LOOKS) * (shot.frames - 1)));
  const seen = looks.flatMap((frame) => bodies.in(frame).map((body) => ({ frame, ...body })));
  if (seen.length === 0) return undefined;
  const footage = await Footage.open(clip, scratch, 'outlined');
  const small = await decodeSmall(clip, await probeClip(clip), join(scratch, 'small.raw'));
  const camera = await findCamera({ frames: small, count: small.count });
  const cues = new MotionCues(await loadKernels(), small, camera);
  const points = seen.map(({ frame, name, mask, crowded }) => ({
    body: name,
    frame,
    crowded,
    ...pointAt(footage, cues, frame, mask, shot),
  }));
  const follows: FollowScore[] = [];
  for (const body of new Set(seen.filter((s) => !s.crowded).map((s) => s.name))) {
    const alone = seen.filter((s) => s.name === body && !s.crowded);
    follows.push(followFrom(footage, cues, shot, bodies, alone[alone.length >> 1]));
  }
  const first = seen.find((s) => !s.crowded) ?? seen[0];
  const place = worstPlace(nothing(), first.mask, shot.lens);
  await footage.close();
  cues.close();
  const outline = await measureProcess('node', [
    MNESTRA,
    ...['outline', '--quiet', '--input', clip, '--frame', String(first.frame)],
    ...['--add', `${place.x},${place.y}`, '--output', join(scratch, 'outline.mkv')],
  ]);
  const decode = await measureProcess('ffmpeg', ['-loglevel', 'error', '-i', clip, '-f', 'null', '-']);
  return { points, follows, outline, decode };
}

const nothing = (): MaskPatch => ({ x: 0, y: 0, width: 0, height: 0, data: new Uint8Array(0) });

/** A box around the body; and three clicks, each where the outline so far is worst. */
function pointAt(
  { store }: Footage,
  cues: MotionCues,
  frame: number,
  truth: MaskPatch,
  shot: Shot,
): Pick<PointScore, 'box' | 'clicks' | 'ms'> {
  const cue = cues.at(frame);
  let ms = 0;
  const ask = (hints: Hints): MaskPatch => {
    const start = performance.now();
    const found = pointOut(store, frame, hints, cue);
    ms = Math.max(ms, performance.now() - start);
    return found;
  };
  const box = ask({ add: [], remove: [], box: boxAround(truth) });
  const [add, remove]: Stroke[][] = [[], []];
  let found = nothing();
  for (let k = 0; k < 3; k++) {
    const place = worstPlace(found, truth, shot.lens);
    (place.add ? add : remove).push({ points: [place], radius: CLICK_RADIUS });
    found = ask({ add, remove });
  }
  return { box: likeness(box, truth), clicks: likeness(found, truth), ms };
}

const boxAround = (truth: MaskPatch): Hints['box'] =>
  grow(truth, Math.round(BOX_SLACK * Math.max(truth.width, truth.height)) + 2);

/** Follows a body from a box, correcting the worst judged frame at most twice. */
function followFrom(
  { store }: Footage,
  cues: MotionCues,
  shot: Shot,
  bodies: Bodies,
  { frame, name, mask }: { frame: number; name: string; mask: MaskPatch },
): FollowScore {
  const first = Math.max(0, Math.min(frame - FOLLOWED / 2, shot.frames - 1 - FOLLOWED));
  const last = Math.min(shot.frames - 1, first + FOLLOWED);
  const truths = new Map<number, MaskPatch>();
  for (let t = first; t <= last; t += EVERY) {
    const body = bodies.in(t).find((b) => b.name === name);
    if (body) truths.set(t, body.mask);
  }
  const cueAt: MotionCues['at'] = (t, part) => cues.at(t, part);
  const anchors: OutlineAnchor[] = [
    { frame, mask: pointOut(store, frame, { add: [], remove: [], box: boxAround(mask) }, cues.at(frame)) },
  ];
  for (;;) {
    const found = new Map<number, FollowedOutline>();
    for (const f of followOutline(store, { anchors, first, last, cueAt })) found.set(f.frame, f);
    const scores = [...truths].map(([t, truth]) => ({
      t,
      truth,
      like: likeness(found.get(t)?.mask ?? nothing(), truth),
    }));
    const worst = scores.reduce((a, b) => (b.like < a.like ? b : a));
    if (worst.like < GOOD && anchors.length <= MOST_CORRECTIONS) {
      anchors.push({ frame: worst.t, mask: worst.truth });
      continue;
    }
    const outlined = scores.filter(({ t }) => areaOf(found.get(t)?.mask ?? nothing()) > 0).length;
    const mean = scores.reduce((sum, s) => sum + s.like, 0) / scores.length;
    return { body: name, from: frame, frames: scores.length, outlined, corrections: anchors.length - 1, mean };
  }
}

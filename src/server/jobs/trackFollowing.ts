import { setImmediate } from 'node:timers/promises';
import { cornersOf, quadOf, type ShotDocument, type TrackEntry, type TrackNode } from '../../contract/document.ts';
import { workRange, type PatchOperation } from '../../contract/shots.ts';
import type { TrackedFrame } from '../../core/tracking/followRegion.ts';
import { lossesOf, stretchesToFollow } from '../../core/tracking/stretches.ts';
import { trackRegion, type Anchor } from '../../core/tracking/trackRegion.ts';
import type { Quad } from '../../core/tracking/regionModel.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { LumaFrames } from '../../media/lumaStore.ts';
import { RawStore } from '../../media/rawStore.ts';
import { toShown, toStored } from '../../media/turn.ts';
import { blockedFor } from '../services/blockedPlaces.ts';
import { rastersIn, storedClip } from '../services/layers.ts';
import type { StoredClip } from '../services/frameStores.ts';
import { keepPoints } from '../services/trackPoints.ts';
import { Clip } from '../store/clip.ts';
import type { Follow } from '../store/follow.ts';
import type { Following } from './followJob.ts';
import { Shot, shotView } from '../store/shot.ts';
import { commitEdit } from './commitEdit.ts';
import { sameNeighbours } from './followed.ts';
import type { JobContext, Work } from './runWork.ts';

/** Memory for the kernels: a few regions' cells and a part of one frame. */
const KERNEL_BYTES = 192 * 2 ** 20;
/** Places are kept to this part of a px in the document. */
const PLACES = 1000;

/** Follows a track where frames of it are missing. */
export class TrackFollowing implements Following {
  private readonly found = new Map<number, TrackedFrame>();

  constructor(
    private readonly row: Follow,
    private readonly shot: Shot,
    private readonly track: TrackNode,
    private readonly context: JobContext,
  ) {}

  entries(): Record<string, TrackEntry> {
    return Object.fromEntries([...this.found.values()].map((f) => [f.frame, entryOf(f)]));
  }

  async commit(): Promise<void> {
    const { row, track, context } = this;
    if (this.found.size > 0) await commit(row, [...this.found.values()], track.anchors, context);
  }

  follow(work: Work): Promise<void> {
    return follow(this.row, this.shot, this.track, this.context, work, this.found);
  }
}

async function follow(
  row: Follow,
  shot: Shot,
  track: TrackNode,
  context: JobContext,
  work: Work,
  found: Map<number, TrackedFrame>,
): Promise<void> {
  const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, context.files);
  const { first, count } = workRange(shotView(shot), clip.info.frames);
  work.report('decode', 0);
  const stored = await context.stores.full({ clip, first, count }, work.signal);
  const store = new RawStore(stored.path, stored.format);
  try {
    const frames = new LumaFrames(store, first, clip.info.frames);
    const kernels = await loadKernels(KERNEL_BYTES);
    const anchors = anchorsOf(track, clip);
    const has = (frame: number): boolean => frame in track.frames || frame in track.anchors;
    const stretches = stretchesToFollow(
      anchors,
      has,
      Math.max(first, row.first),
      Math.min(first + count - 1, row.last),
    );
    const elsewhere = blockedFor(shot.document, row.targetId, rastersIn(context.files));
    const { rotation, width, height } = clip.info;
    const blocked = (frame: number, x: number, y: number): boolean => {
      const p = toShown({ x, y }, rotation, width, height);
      return elsewhere!(frame, p.x, p.y);
    };
    const options = { parts: track.parts, ...(elsewhere && { blocked }) };
    const total = stretches.reduce((n, s) => n + s.last - s.first, 1);
    for (const stretch of stretches) {
      for (const f of trackRegion(kernels, frames, { ...options, ...stretch })) {
        found.set(f.frame, asShown(f, clip));
        work.report('follow', Math.min(1, found.size / total));
        // Wishes to stop are heard between frames.
        await setImmediate();
        work.signal.throwIfAborted();
      }
    }
  } finally {
    store.close();
  }
}

/** A frame's corners and what was compared, on the picture as it is shown. */
function asShown(f: TrackedFrame, clip: StoredClip): TrackedFrame {
  const { rotation, width, height } = clip.info;
  const points = f.points.map((p) => ({ ...toShown(p, rotation, width, height), weight: p.weight }));
  return { ...f, quad: turned(f.quad, toShown, clip), points };
}

const turned = (quad: Quad, turn: typeof toShown, { info }: StoredClip): Quad =>
  quad.map((p) => turn(p, info.rotation, info.width, info.height)) as unknown as Quad;

function anchorsOf({ anchors }: TrackNode, clip: StoredClip): Anchor[] {
  return Object.entries(anchors)
    .map(([frame, corners]) => ({ frame: Number(frame), quad: turned(quadOf(corners), toStored, clip) }))
    .sort((a, b) => a.frame - b.frame);
}

function entryOf({ confidence, quad }: TrackedFrame): TrackEntry {
  return [confidence, ...cornersOf(quad)].map((v) => Math.round(v * PLACES) / PLACES);
}

/**
 * Writes frames into the document as it is now. The edit has the row's id, so that it counts once; frames whose anchors
 * have changed meanwhile are left out, since they were found from what is no longer there.
 */
async function commit(
  row: Follow,
  frames: TrackedFrame[],
  used: TrackNode['anchors'],
  context: JobContext,
): Promise<void> {
  const shot = await Shot.findByPk(row.shotId);
  const track = shot?.document.tracks[row.targetId] as TrackNode | undefined;
  if (!shot || !track) return;
  const kept = frames.filter((f) => sameNeighbours(f.frame, used, track.anchors));
  if (kept.length === 0) return;
  const patch = patchOf(shot.document, row.targetId, kept);
  await keepPoints(context.files, row.shotId, row.targetId, kept);
  await commitEdit(row, shot, { label: `Follow “${track.name}”`, patch, completes: row.completes }, context);
}

function patchOf(document: ShotDocument, trackId: string, frames: TrackedFrame[]): PatchOperation[] {
  const { losses, anchors } = document.tracks[trackId];
  const path = `/tracks/${trackId}`;
  const fresh = new Set(frames.map((f) => f.frame));
  const outside = losses.flatMap(({ from, to, reason }) =>
    Array.from({ length: to - from + 1 }, (_, i) => ({ frame: from + i, loss: reason })).filter(
      (f) => !fresh.has(f.frame),
    ),
  );
  const all = [...outside, ...frames].filter((f) => !(f.frame in anchors)).sort((a, b) => a.frame - b.frame);
  return [
    ...frames.map((f): PatchOperation => ({ op: 'add', path: `${path}/frames/${f.frame}`, value: entryOf(f) })),
    { op: 'replace', path: `${path}/losses`, value: lossesOf(all) },
  ];
}

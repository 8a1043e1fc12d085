import {
  findShape,
  frameNumbers,
  toShape,
  type OutlineNode,
  type ShapeNode,
  type Stretch,
} from '../../contract/document.ts';
import { workRange, type PatchOperation } from '../../contract/shots.ts';
import { areaOf } from '../../core/movers/maskPatch.ts';
import { followOutline, type OutlineAnchor } from '../../core/outline/followOutline.ts';
import type { FrameReader } from '../../core/image/format.ts';
import { sharpPoints } from '../../core/shapes/shape.ts';
import { stretchesToFollow } from '../../core/tracking/stretches.ts';
import { drawnMask } from '../../media/drawnMask.ts';
import { LumaFrames } from '../../media/lumaStore.ts';
import { pauses } from '../../media/pauses.ts';
import { fineOutline } from '../../media/shownOutline.ts';
import { RawStore } from '../../media/rawStore.ts';
import { storedClip } from '../services/layers.ts';
import type { StoredClip } from '../services/frameStores.ts';
import { Clip } from '../store/clip.ts';
import type { Follow } from '../store/follow.ts';
import { Shot, shotView } from '../store/shot.ts';
import { commitEdit } from './commitEdit.ts';
import { sameNeighbours } from './followed.ts';
import type { Following } from './followJob.ts';
import type { JobContext, Work } from './runWork.ts';
import { shotCues, type ShotCues } from './shotCues.ts';

/** Follows the outline of a shape between its anchors, where frames of it are missing. */
export class OutlineFollowing implements Following {
  private readonly found = new Map<number, number[]>();
  /** Of these, frames in which it is hidden in part. */
  private readonly held = new Set<number>();
  /** Frames that were gone through, with an outline or without. */
  private readonly done: Segment[] = [];

  constructor(
    private readonly row: Follow,
    private readonly shot: Shot,
    private readonly shape: ShapeNode,
    private readonly context: JobContext,
  ) {}

  entries(): Record<string, number[]> {
    return Object.fromEntries(this.found);
  }

  async follow(work: Work): Promise<void> {
    const { row, shot, context } = this;
    const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, context.files);
    const { first, count } = workRange(shotView(shot), clip.info.frames);
    work.report('decode', 0);
    const wanted = { clip, first, count };
    const stored = await context.stores.full(wanted, work.signal);
    const cues = await shotCues(shot.id, clip, { first, count }, context, work);
    const store = new RawStore(stored.path, stored.format);
    try {
      const range = { first: Math.max(first, row.first), last: Math.min(first + count - 1, row.last) };
      const frames = new LumaFrames(store, first, clip.info.frames);
      await this.followAll(frames, cues, clip, range, work);
    } finally {
      cues.close();
      store.close();
    }
  }

  private async followAll(
    frames: FrameReader,
    { cueAt, backgroundTo }: ShotCues,
    clip: StoredClip,
    range: Segment,
    work: Work,
  ): Promise<void> {
    const { width, height, rotation } = clip.info;
    const shape = toShape(this.row.targetId, this.shape);
    const anchorAt = (frame: number): OutlineAnchor => ({
      frame,
      mask: drawnMask(shape, frame, { width, height, rotation }),
    });
    const { keys, outline } = this.shape;
    const lost = new Set(outline!.lost.flatMap(framesOf));
    const ends = frameNumbers(outline!.anchors).filter((f) => f >= range.first && f <= range.last);
    const stretches = stretchesToFollow(
      ends.map((frame) => ({ frame })),
      (f) => f in keys || lost.has(f),
      range.first,
      range.last,
    );
    const total = stretches.reduce((n, s) => n + s.last - s.first + 1, 0);
    const pause = pauses(work.signal);
    for (const { first, last, anchors: between } of stretches) {
      const anchors = between.map(({ frame }) => anchorAt(frame)).filter(({ mask }) => areaOf(mask) > 0);
      for (const { frame, mask, held } of followOutline(frames, { anchors, first, last, cueAt, backgroundTo })) {
        if (frame in outline!.anchors) continue;
        const path = fineOutline(mask, { width, height, rotation });
        if (path.length >= 6) this.found.set(frame, path);
        if (path.length >= 6 && held) this.held.add(frame);
        work.report('follow', Math.min(1, this.found.size / Math.max(1, total)));
        await pause();
      }
      this.done.push({ first, last });
    }
  }

  /**
   * Writes what was found into the document as it is now, once. Frames whose anchors have changed meanwhile are left out,
   * since they were found from what is no longer there.
   */
  async commit(): Promise<void> {
    const { row, context } = this;
    if (this.found.size === 0 && this.done.length === 0) return;
    const shot = await Shot.findByPk(row.shotId);
    const place = shot && findShape(shot.document, row.targetId);
    if (!shot || !place?.shape.outline) return;
    const patch = this.patch(`/removals/${place.removalId}/shapes/${row.targetId}`, place.shape, place.shape.outline);
    if (patch.length === 0) return;
    await commitEdit(row, shot, { label: `Follow “${place.shape.name}”`, patch, completes: row.completes }, context);
  }

  private patch(path: string, now: ShapeNode, outline: OutlineNode): PatchOperation[] {
    const holds = (frame: number): boolean => sameNeighbours(frame, anchorsOf(this.shape), anchorsOf(now));
    const frames = [...this.found.keys()].filter((f) => holds(f) && !(f in outline.anchors));
    const gone = this.done.flatMap(({ first, last }) =>
      Array.from({ length: last - first + 1 }, (_, i) => first + i).filter(
        (f) => holds(f) && !this.found.has(f) && !(f in outline.anchors),
      ),
    );
    if (frames.length === 0 && gone.length === 0) return [];
    const keyed = [...new Set([...Object.keys(now.keys).map(Number), ...frames])].filter((f) => !gone.includes(f));
    const visible = { from: Math.min(...keyed), to: Math.max(...keyed) };
    const held = [
      ...(outline.held ?? []).flatMap(framesOf).filter((f) => !frames.includes(f) && !gone.includes(f)),
      ...frames.filter((f) => this.held.has(f)),
    ];
    const lost = [...outline.lost.flatMap(framesOf).filter((f) => !keyed.includes(f)), ...gone];
    return [
      ...frames.map((f): PatchOperation => ({
        op: 'add',
        path: `${path}/keys/${f}`,
        value: { ease: 'linear', points: sharpPoints(this.found.get(f)!) },
      })),
      ...gone.filter((f) => f in now.keys).map((f): PatchOperation => ({ op: 'remove', path: `${path}/keys/${f}` })),
      { op: 'add', path: `${path}/visible`, value: visible },
      { op: 'replace', path: `${path}/outline/lost`, value: stretchesOf(lost) },
      { op: 'add', path: `${path}/outline/held`, value: stretchesOf(held) },
    ];
  }
}

interface Segment {
  first: number;
  last: number;
}

const framesOf = ({ from, to }: Stretch): number[] => Array.from({ length: to - from + 1 }, (_, i) => from + i);

function stretchesOf(frames: number[]): Stretch[] {
  const out: Stretch[] = [];
  for (const f of [...new Set(frames)].sort((a, b) => a - b)) {
    const last = out.at(-1);
    if (last?.to === f - 1) last.to = f;
    else out.push({ from: f, to: f });
  }
  return out;
}

/** By frame, the outlines that hold. */
const anchorsOf = ({ keys, outline }: ShapeNode): Record<string, unknown> =>
  Object.fromEntries(frameNumbers(outline?.anchors ?? {}).map((f) => [f, keys[f]?.points]));

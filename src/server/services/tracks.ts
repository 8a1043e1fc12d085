import { randomUUID } from 'node:crypto';
import { Op } from 'sequelize';
import { findShape, quadOf, type TrackNode } from '../../contract/document.ts';
import type { ServerEvent } from '../../contract/events.ts';
import { workRange } from '../../contract/shots.ts';
import type { FollowBody, FollowView, TrackPoints } from '../../contract/tracks.ts';
import { AppError } from '../../core/errors.ts';
import { trackCsv, trackJson, type TrackRow } from '../../core/tracking/trackTable.ts';
import type { Files } from '../files.ts';
import { Clip } from '../store/clip.ts';
import { Follow, followView } from '../store/follow.ts';
import { shotView, type Shot } from '../store/shot.ts';
import { cancelWork } from '../store/work.ts';
import { findShot } from './shots.ts';
import { pointsAt } from './trackPoints.ts';

interface TrackDoors {
  tell(event: ServerEvent): Promise<void>;
  queue(id: string): Promise<void>;
}

/** Tracks as the API knows them: they live in the document; following one is work. */
export class TrackService {
  constructor(
    private readonly files: Files,
    private readonly doors: TrackDoors,
  ) {}

  /** The newest following of each track and outline of a shot. */
  async list(shotId: string): Promise<FollowView[]> {
    await findShot(shotId);
    const rows = await Follow.findAll({ where: { shotId }, order: [['createdAt', 'ASC']] });
    return [...new Map(rows.map((row) => [row.targetId, followView(row)])).values()];
  }

  /** Follows a track where frames of it are missing. A following that is under way gives way; what it found is kept. */
  async follow(shotId: string, trackId: string, body: FollowBody): Promise<FollowView> {
    const shot = await findShot(shotId);
    findTrack(shot, trackId);
    return this.start(shot, trackId, body);
  }

  /** Follows the outline of a shape from its anchors. @throws AppError `not_found`, `no_outline`. */
  async followOutline(shotId: string, shapeId: string, body: FollowBody): Promise<FollowView> {
    const shot = await findShot(shotId);
    const found = findShape(shot.document, shapeId);
    if (!found) throw new AppError('not_found', `There is no shape ${shapeId} in this shot.`);
    if (!found.shape.outline) {
      throw new AppError('no_outline', 'This shape was not found by pointing. Point at the thing first.');
    }
    return this.start(shot, shapeId, body);
  }

  private async start(shot: Shot, targetId: string, body: FollowBody): Promise<FollowView> {
    const shotId = shot.id;
    const clip = await Clip.findByPk(shot.clipId, { paranoid: false, attributes: ['info'] });
    const range = workRange(shotView(shot), clip!.info!.frames);
    const end = range.first + range.count - 1;
    const first = Math.max(range.first, body.first ?? range.first);
    const last = Math.min(end, body.last ?? end);
    if (first > last) {
      throw new AppError('bad_range', `The shot has the frames ${range.first} to ${end} with its handles.`);
    }
    await Follow.update({ state: 'cancelled' }, { where: { shotId, targetId, state: 'queued' } });
    await Follow.update({ cancel: true }, { where: { shotId, targetId, state: 'running' } });
    await Follow.destroy({ where: { shotId, targetId, state: { [Op.in]: ['done', 'failed', 'cancelled'] } } });
    const row = await Follow.create({
      id: randomUUID(),
      shotId,
      targetId,
      first,
      last,
      completes: body.completes ?? null,
    });
    await this.doors.queue(row.id);
    return this.changed(row);
  }

  /** Stops following; what was found stays. */
  async cancel(id: string): Promise<FollowView> {
    const row = await Follow.findByPk(id);
    if (!row) throw new AppError('not_found', `There is no following ${id}.`);
    await cancelWork(row);
    return this.changed(row);
  }

  /** What a track holds on to at a frame. @throws AppError `not_found`. */
  async points(shotId: string, trackId: string, frame: number): Promise<TrackPoints> {
    findTrack(await findShot(shotId), trackId);
    return { points: await pointsAt(this.files, shotId, trackId, frame) };
  }

  /** A track as a file. */
  async table(shotId: string, trackId: string, kind: 'csv' | 'json'): Promise<{ text: string; name: string }> {
    const track = findTrack(await findShot(shotId), trackId);
    const rows = rowsOf(track);
    return { text: kind === 'csv' ? trackCsv(rows) : trackJson(rows), name: `${track.name}.${kind}` };
  }

  private async changed(row: Follow): Promise<FollowView> {
    await this.doors.tell({ kind: 'follow', id: row.id, shotId: row.shotId });
    return followView(row);
  }
}

export function findTrack(shot: Shot, trackId: string): TrackNode {
  const track = shot.document.tracks[trackId] as TrackNode | undefined;
  if (!track) throw new AppError('not_found', `There is no track ${trackId} in this shot.`);
  return track;
}

function rowsOf({ frames, anchors, losses }: TrackNode): TrackRow[] {
  const all = new Map(Object.entries(frames).map(([frame, entry]) => [Number(frame), entry]));
  for (const [frame, corners] of Object.entries(anchors)) all.set(Number(frame), [1, ...corners]);
  return [...all]
    .sort((a, b) => a[0] - b[0])
    .map(([frame, [confidence, ...corners]]) => {
      const loss = losses.find((l) => frame >= l.from && frame <= l.to)?.reason;
      return { frame, confidence, quad: quadOf(corners), loss };
    });
}

import { AppError } from '../errors.ts';
import { LOSS_REASONS, type TrackedFrame } from './followRegion.ts';
import type { Quad } from './regionModel.ts';

export const TRACK_COLUMNS = ['frame', 'confidence', 'x0', 'y0', 'x1', 'y1', 'x2', 'y2', 'x3', 'y3'] as const;

/** A track's frame as it is stored and exchanged. */
export type TrackRow = Pick<TrackedFrame, 'frame' | 'quad' | 'confidence' | 'loss'>;

/** A track as comma-separated values (RFC 4180): one row a frame, corners in px of the frame, 0,0 = first pixel's middle. */
export function trackCsv(rows: readonly TrackRow[]): string {
  const lines = rows.map((r) =>
    [r.frame, r.confidence.toFixed(3), ...r.quad.flatMap((p) => [p.x.toFixed(3), p.y.toFixed(3)])].join(','),
  );
  return `${[TRACK_COLUMNS.join(','), ...lines].join('\r\n')}\r\n`;
}

/** A track as JSON: an array of rows with corners as [x, y], and the reason where the region is lost. */
export function trackJson(rows: readonly TrackRow[]): string {
  const plain = rows.map(({ frame, confidence, quad, loss }) => ({
    frame,
    confidence,
    corners: quad.map((p) => [p.x, p.y]),
    ...(loss && { loss }),
  }));
  return `${JSON.stringify({ space: 'px of the frame, 0,0 is the first pixel\u2019s middle', frames: plain }, null, 1)}\n`;
}

/**
 * Reads what {@link trackCsv} writes; frames may be missing, and come in any order.
 * @throws AppError `track_file` naming the line.
 */
export function readTrackCsv(text: string): TrackRow[] {
  const [head, ...lines] = text.split(/\r?\n/).filter((l) => l.trim() !== '');
  const columns = head?.split(',').map((c) => c.trim()) ?? [];
  const at = TRACK_COLUMNS.map((name) => columns.indexOf(name));
  if (at.some((i) => i < 0)) {
    throw new AppError('track_file', `The first line must name the columns ${TRACK_COLUMNS.join(', ')}.`);
  }
  return inOrder(lines.map((line, n) => readRow(line.split(','), at, n + 2)));
}

/**
 * Reads what {@link trackJson} writes; further fields are passed over.
 * @throws AppError `track_file` naming the frame.
 */
export function readTrackJson(text: string): TrackRow[] {
  const { frames } = parsed(text) as { frames?: unknown };
  if (!Array.isArray(frames)) throw new AppError('track_file', 'The file has no list of frames.');
  const rows = frames.map((entry: Partial<Record<string, unknown>> | null, n): TrackRow => {
    const { frame, confidence = 1, corners, loss } = entry ?? {};
    const quad = Array.isArray(corners) && corners.length === 4 ? corners.map(placeOf) : [];
    const good = Number.isInteger(frame) && Number.isFinite(confidence) && quad.length === 4 && quad.every(Boolean);
    if (!good || (frame as number) < 0) {
      throw new AppError('track_file', `Entry ${n + 1} is no frame of a track: a frame and four corners are needed.`);
    }
    const reason = LOSS_REASONS.find((r) => r === loss);
    return {
      frame: frame as number,
      confidence: Math.min(1, Math.max(0, confidence as number)),
      quad: quad as unknown as Quad,
      ...(reason && { loss: reason }),
    };
  });
  return inOrder(rows);
}

function parsed(text: string): unknown {
  try {
    return (JSON.parse(text) as unknown) ?? {};
  } catch {
    throw new AppError('track_file', 'The file is no JSON.');
  }
}

function placeOf(pair: unknown): { x: number; y: number } | undefined {
  const [x, y] = Array.isArray(pair) ? (pair as unknown[]) : [];
  return Number.isFinite(x) && Number.isFinite(y) ? { x: x as number, y: y as number } : undefined;
}

function inOrder(rows: TrackRow[]): TrackRow[] {
  const sorted = rows.sort((a, b) => a.frame - b.frame);
  const twice = sorted.find((r, i) => i > 0 && sorted[i - 1].frame === r.frame);
  if (twice) throw new AppError('track_file', `Frame ${twice.frame} has two rows. Each frame may have one.`);
  return sorted;
}

function readRow(cells: string[], at: number[], line: number): TrackRow {
  const values = at.map((i) => (cells[i]?.trim() ? Number(cells[i]) : NaN));
  const [frame, confidence, ...corners] = values;
  if (values.some((v) => !Number.isFinite(v)) || !Number.isInteger(frame) || frame < 0) {
    throw new AppError(
      'track_file',
      `Line ${line} is no row of a track: a whole frame number and nine numbers are needed.`,
    );
  }
  const quad = [0, 2, 4, 6].map((i) => ({ x: corners[i], y: corners[i + 1] })) as unknown as Quad;
  return { frame, confidence: Math.min(1, Math.max(0, confidence)), quad };
}

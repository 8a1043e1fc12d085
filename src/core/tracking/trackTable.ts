import { AppError } from '../errors.ts';
import type { TrackedFrame } from './followRegion.ts';
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
  const rows = lines.map((line, n) => readRow(line.split(','), at, n + 2)).sort((a, b) => a.frame - b.frame);
  const twice = rows.find((r, i) => i > 0 && rows[i - 1].frame === r.frame);
  if (twice) throw new AppError('track_file', `Frame ${twice.frame} has two rows. Each frame may have one.`);
  return rows;
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

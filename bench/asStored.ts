import { TURN } from '../src/media/colour.ts';
import { probeClip } from '../src/media/probe.ts';
import { startFfmpeg } from '../src/media/processes.ts';

/**
 * A fill whose frames lie as those of its clip are stored, which is how they are compared: in Matroska a turned clip's are
 * upright (decision 04).
 *
 * @returns The fill itself, or a copy beside it, turned sample for sample.
 */
export async function asStored(fill: string, clip: string): Promise<string> {
  const [filled, given] = [await probeClip(fill), await probeClip(clip)];
  const turn = TURN[(360 + filled.rotation - given.rotation) % 360];
  if (turn.length === 0) return fill;
  const out = fill.replace(/\.mkv$/, '.stored.mkv');
  await startFfmpeg(['-i', fill, '-vf', turn.join(','), '-fps_mode', 'passthrough', '-c:v', 'ffv1', out]).done;
  return out;
}

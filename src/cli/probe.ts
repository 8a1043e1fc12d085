import { probeClip } from '../media/probe.ts';

/** `mnestra probe`. */
export async function probeCommand(file: string): Promise<void> {
  const { times, ...info } = await probeClip(file);
  const clock = info.variableRate ? { times } : {};
  process.stdout.write(`${JSON.stringify({ ...info, ...clock }, null, 1)}\n`);
}

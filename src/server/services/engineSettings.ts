import type { TakeSettings } from '../../contract/document.ts';
import { FILL_DEFAULTS, type FillSettings } from '../../core/fill/settings.ts';
import { offsetToStored } from '../../media/turn.ts';
import type { Files } from '../files.ts';

/** A removal's settings as the engine wants them: frames counted from the first one that is worked on, px as stored. */
export function engineSettings(
  settings: TakeSettings,
  first: number,
  count: number,
  rotation: number,
  files: Files,
): FillSettings {
  const { donor, plate } = settings;
  const { x: dx, y: dy } = offsetToStored({ x: donor?.dx ?? 0, y: donor?.dy ?? 0 }, rotation);
  return {
    ...FILL_DEFAULTS,
    ...settings,
    donor: donor && { frame: Math.min(count - 1, Math.max(0, donor.frame - first)), dx, dy },
    plate: plate && { frame: plate.frame - first, path: files.plate(plate.file) },
  };
}

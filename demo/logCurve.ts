/**
 * The curve by which the demo's camera writes light when it writes log: even steps for even ratios of light, with room below and
 * above. Made for this footage; it is no maker's.
 */
const BLACK = 0.06;
const SPAN = 0.84;
const STEEP = 250;
/** What a screen makes of a display-coded value. */
const GAMMA = 2.2;

const toLog = (display: number): number =>
  BLACK + (SPAN * Math.log(1 + STEEP * display ** GAMMA)) / Math.log(1 + STEEP);
const toDisplay = (log: number): number =>
  (Math.max(0, (1 + STEEP) ** ((log - BLACK) / SPAN) - 1) / STEEP) ** (1 / GAMMA);

/** 16-bit log code of each 16-bit display code. */
export const LOG_CODES = Uint16Array.from({ length: 65536 }, (_, v) => Math.round(65535 * toLog(v / 65535)));

const STEPS = 1024;

/** The way back as a one-dimensional table in the .cube format: what shows log footage as it would look. */
export function logCube(): string {
  const rows = Array.from({ length: STEPS }, (_, i) => {
    const v = Math.min(1, toDisplay(i / (STEPS - 1))).toFixed(6);
    return `${v} ${v} ${v}`;
  });
  return ['TITLE "demo log to display"', `LUT_1D_SIZE ${STEPS}`, ...rows, ''].join('\n');
}

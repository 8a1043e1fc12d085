import { multiply3, type Matrix3 } from '../geometry/homography.ts';
import { storedChange, type ColourModel } from '../image/colourModel.ts';
import { glideOver, stretchAt, type Keyed } from '../shapes/keyed.ts';

/** What a hand changes of a fill that is there, at one frame. */
export interface Trim {
  /** Stops of light. */
  exposure: number;
  /** Towards amber, mired; below 0 towards blue. */
  warmth: number;
  /** Towards magenta, percent; below 0 towards green. */
  tint: number;
  /** Percent. */
  saturation: number;
  /** Percent. */
  opacity: number;
  /** By which the fill is moved under its matte, px. */
  dx: number;
  dy: number;
}

export const NO_TRIM: Trim = { exposure: 0, warmth: 0, tint: 0, saturation: 100, opacity: 100, dx: 0, dy: 0 };
export const TRIM_FIELDS = Object.keys(NO_TRIM) as (keyof Trim)[];

/** A trim that holds at a frame, and how it goes on. */
export type TrimKey = Keyed & Trim;

/** The trim at a frame, between keys as shapes move between theirs. @param keys - Ascending; none = nothing is changed. */
export function trimAt(keys: readonly TrimKey[], frame: number): Trim {
  if (keys.length === 0) return NO_TRIM;
  const stretch = stretchAt(keys, frame);
  const out = { ...NO_TRIM };
  for (const field of TRIM_FIELDS) {
    if ('at' in stretch) out[field] = stretch.at[field];
    else {
      const { from, to, before, after } = stretch;
      out[field] = glideOver(stretch)(from[field], to[field], before?.[field], after?.[field]);
    }
  }
  // A smooth curve may go beyond its keys.
  out.opacity = Math.min(100, Math.max(0, out.opacity));
  out.saturation = Math.max(0, out.saturation);
  return out;
}

export const isNothing = (trim: Trim): boolean => TRIM_FIELDS.every((f) => trim[f] === NO_TRIM[f]);

/** Gamma of a reference display (ITU-R BT.1886): changes of light are made in the light that a screen gives. */
const DISPLAY_GAMMA = 2.4;
/** Daylight that a screen's white is, K (CIE D65). */
const WHITE_K = 6504;
/** Change of green, stops, at full tint. */
const TINT_STOPS = 0.5;

/**
 * A trim's change of colour, on colours as stored: see {@link toRgb}. A gain of light is a gain of R'G'B' too, since the
 * display's curve is a power; saturation is about luma.
 */
export function trimMatrix({ exposure, warmth, tint, saturation }: Trim, model: ColourModel): Matrix3 {
  const { kr, kb } = model;
  const kg = 1 - kr - kb;
  const balance = whiteGains(warmth);
  balance[1] *= 2 ** ((-TINT_STOPS * tint) / 100);
  const luma = kr * balance[0] + kg * balance[1] + kb * balance[2];
  const [r, g, b] = balance.map((gain) => (2 ** exposure * (gain / luma)) ** (1 / DISPLAY_GAMMA));
  const s = saturation / 100;
  const [y, u, v] = [(1 - s) * kr, (1 - s) * kg, (1 - s) * kb];
  const saturate = Float64Array.of(y + s, u, v, y, u + s, v, y, u, v + s);
  return storedChange(model, multiply3(saturate, Float64Array.of(r, 0, 0, 0, g, 0, 0, 0, b)));
}

/** Linear R, G, B of a daylight that is warmer than the screen's white, as gains. */
function whiteGains(mired: number): number[] {
  const [there, here] = [1e6 / (1e6 / WHITE_K + mired), WHITE_K].map(daylight);
  return there.map((v, i) => v / here[i]);
}

/** Linear R, G, B of a CIE daylight (CIE 15, 4000 to 25000 K) in the primaries of BT.709, luminance 1. */
function daylight(kelvin: number): number[] {
  const t = 1000 / Math.min(25_000, Math.max(4000, kelvin));
  const x =
    kelvin <= 7000
      ? 0.244063 + 0.09911 * t + 2.9678 * t ** 2 - 4.607 * t ** 3
      : 0.23704 + 0.24748 * t + 1.9018 * t ** 2 - 2.0064 * t ** 3;
  const y = -3 * x * x + 2.87 * x - 0.275;
  const [X, Z] = [x / y, (1 - x - y) / y];
  return [
    3.2404542 * X - 1.5371385 - 0.4985314 * Z,
    -0.969266 * X + 1.8760108 + 0.041556 * Z,
    0.0556434 * X - 0.2040259 + 1.0572252 * Z,
  ];
}

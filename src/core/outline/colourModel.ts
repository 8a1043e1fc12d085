/**
 * Colours of a thing or of what is around it, as a mixture of Gaussians (Rother, Kolmogorov & Blake 2004, "GrabCut"), begun by
 * splitting along the longest axis (Orchard & Bouman 1991).
 */

/** Channels of a colour. */
export const CHANNELS = 3;
/** Gaussians of a mixture, and the rounds in which colours choose theirs anew. */
const PARTS = 5;
const ROUNDS = 2;
/** Variance that every channel has: grain and rounding, squared 8-bit levels. */
const LEAST_VARIANCE = 6;
/** Least colours from which another Gaussian is split off. */
const LEAST_SAMPLES = 12;

/** Per Gaussian: mean (3), the upper half of the inverse covariance (6), and what its weight and size cost. */
const FLOATS = 10;

/** Mixture of Gaussians over colours; {@link colourCost} judges a colour by it. */
export type ColourModel = Float64Array;

interface Cluster {
  members: Int32Array;
  mean: number[];
  /** Covariance: xx, xy, xz, yy, yz, zz. */
  spread: number[];
  axis: number[];
  longest: number;
}

/**
 * @param colours - Three values per colour, 8-bit levels.
 * @throws RangeError without any colour.
 */
export function fitColours(colours: Float32Array): ColourModel {
  const n = colours.length / CHANNELS;
  if (n === 0) throw new RangeError('a colour model needs at least one colour');
  let clusters = [
    clusterOf(
      colours,
      Int32Array.from({ length: n }, (_, i) => i),
    ),
  ];
  while (clusters.length < PARTS) {
    const widest = clusters.reduce((a, b) => (b.longest > a.longest ? b : a));
    if (widest.members.length < 2 * LEAST_SAMPLES) break;
    const halves = split(colours, widest);
    if (halves.some((half) => half.length < LEAST_SAMPLES)) break;
    clusters = [...clusters.filter((c) => c !== widest), ...halves.map((half) => clusterOf(colours, half))];
  }
  let model = modelOf(clusters, n);
  for (let round = 0; round < ROUNDS; round++) {
    const groups: number[][] = clusters.map(() => []);
    for (let i = 0; i < n; i++) groups[nearestPart(model, colours, i * CHANNELS)].push(i);
    clusters = groups.filter((g) => g.length > 0).map((g) => clusterOf(colours, Int32Array.from(g)));
    model = modelOf(clusters, n);
  }
  return model;
}

/** How little a colour fits: the least −log(weight · density) of the Gaussians. */
export function colourCost(model: ColourModel, colours: Float32Array, at: number): number {
  const [r, g, b] = [colours[at], colours[at + 1], colours[at + 2]];
  let least = Infinity;
  for (let k = 0; k < model.length; k += FLOATS) {
    const [x, y, z] = [r - model[k], g - model[k + 1], b - model[k + 2]];
    const away =
      x * (model[k + 3] * x + 2 * (model[k + 4] * y + model[k + 5] * z)) +
      y * (model[k + 6] * y + 2 * model[k + 7] * z) +
      model[k + 8] * z * z;
    const cost = 0.5 * away + model[k + 9];
    if (cost < least) least = cost;
  }
  return least;
}

function nearestPart(model: ColourModel, colours: Float32Array, at: number): number {
  let [best, least] = [0, Infinity];
  for (let k = 0; k * FLOATS < model.length; k++) {
    const cost = colourCost(model.subarray(k * FLOATS, (k + 1) * FLOATS), colours, at);
    if (cost < least) [best, least] = [k, cost];
  }
  return best;
}

function clusterOf(colours: Float32Array, members: Int32Array): Cluster {
  const mean = [0, 0, 0];
  for (const i of members) for (let c = 0; c < CHANNELS; c++) mean[c] += colours[i * CHANNELS + c] / members.length;
  const s = [0, 0, 0, 0, 0, 0];
  for (const i of members) {
    const [x, y, z] = mean.map((m, c) => colours[i * CHANNELS + c] - m);
    [x * x, x * y, x * z, y * y, y * z, z * z].forEach((v, k) => (s[k] += v / members.length));
  }
  for (const k of [0, 3, 5]) s[k] += LEAST_VARIANCE;
  // The longest axis, by repeated multiplication.
  let axis = [1, 0.9, 0.8];
  let longest = 0;
  for (let round = 0; round < 12; round++) {
    const [x, y, z] = axis;
    axis = [s[0] * x + s[1] * y + s[2] * z, s[1] * x + s[3] * y + s[4] * z, s[2] * x + s[4] * y + s[5] * z];
    longest = Math.hypot(...axis);
    axis = axis.map((v) => v / longest);
  }
  return { members, mean, spread: s, axis, longest };
}

/** Two halves of a cluster, at its mean across its longest axis. */
function split(colours: Float32Array, { members, mean, axis }: Cluster): Int32Array[] {
  const beyond = (i: number): boolean =>
    axis.reduce((sum, a, c) => sum + a * (colours[i * CHANNELS + c] - mean[c]), 0) > 0;
  return [members.filter(beyond), members.filter((i) => !beyond(i))];
}

function modelOf(clusters: readonly Cluster[], n: number): ColourModel {
  const model = new Float64Array(clusters.length * FLOATS);
  clusters.forEach(({ members, mean, spread: [a, b, c, d, e, f] }, k) => {
    const [p, q, r] = [d * f - e * e, c * e - b * f, b * e - c * d];
    const det = a * p + b * q + c * r;
    const inverse = [p, q, r, a * f - c * c, b * c - a * e, a * d - b * b].map((v) => v / det);
    model.set([...mean, ...inverse, 0.5 * Math.log(det) - Math.log(members.length / n)], k * FLOATS);
  });
  return model;
}

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
  let least = Infinity;
  for (let k = 0; k < model.length; k += FLOATS) least = Math.min(least, partCost(model, k, colours, at));
  return least;
}

function nearestPart(model: ColourModel, colours: Float32Array, at: number): number {
  let [best, least] = [0, Infinity];
  for (let k = 0; k < model.length; k += FLOATS) {
    const cost = partCost(model, k, colours, at);
    if (cost < least) [best, least] = [k / FLOATS, cost];
  }
  return best;
}

/** −log(weight · density) of the Gaussian at `k`. */
function partCost(model: ColourModel, k: number, colours: Float32Array, at: number): number {
  const x = colours[at] - model[k];
  const y = colours[at + 1] - model[k + 1];
  const z = colours[at + 2] - model[k + 2];
  const away =
    x * (model[k + 3] * x + 2 * (model[k + 4] * y + model[k + 5] * z)) +
    y * (model[k + 6] * y + 2 * model[k + 7] * z) +
    model[k + 8] * z * z;
  return 0.5 * away + model[k + 9];
}

function clusterOf(colours: Float32Array, members: Int32Array): Cluster {
  const n = members.length;
  let [r, g, b] = [0, 0, 0];
  for (let k = 0; k < n; k++) {
    const at = members[k] * CHANNELS;
    r += colours[at];
    g += colours[at + 1];
    b += colours[at + 2];
  }
  [r, g, b] = [r / n, g / n, b / n];
  const s = [0, 0, 0, 0, 0, 0];
  for (let k = 0; k < n; k++) {
    const at = members[k] * CHANNELS;
    const x = colours[at] - r;
    const y = colours[at + 1] - g;
    const z = colours[at + 2] - b;
    s[0] += x * x;
    s[1] += x * y;
    s[2] += x * z;
    s[3] += y * y;
    s[4] += y * z;
    s[5] += z * z;
  }
  const mean = [r, g, b];
  for (let k = 0; k < 6; k++) s[k] /= n;
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
function split(colours: Float32Array, { members, mean, axis: [x, y, z] }: Cluster): Int32Array[] {
  const middle = x * mean[0] + y * mean[1] + z * mean[2];
  const beyond = (i: number): boolean =>
    x * colours[i * CHANNELS] + y * colours[i * CHANNELS + 1] + z * colours[i * CHANNELS + 2] > middle;
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

import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { applyTransfer, offsetGrid } from './measure.ts';
import { membrane } from './membrane.ts';
import { samplePlate, type Plate } from './plate.ts';
import { planeSize, RIM_TILE, spansOf, TILE, type Region } from './region.ts';
import type { SourceKind } from './settings.ts';
import { cellSums, plusField, type CellSums } from './smoothField.ts';
import { strangeCells } from './strangeCells.ts';

/** Support up to which a gathered pixel counts as unseen. */
export const UNSEEN_SUPPORT = 0.02;

/** A plate has next to no grain of its own: it counts as a mean of so many frames. */
const PLATE_SUPPORT = 100;

/** What the sources say of one region. */
export interface Known {
  region: Region;
  /** What other frames show, finished, and how many of them show it. */
  planes: readonly Float32Array[];
  support: Float32Array;
  /** The frame's own samples. */
  own: readonly Float32Array[];
  transfer: Float32Array;
  /** What the donor shows, if there is one. */
  donor?: { planes: readonly Float32Array[]; support: Float32Array };
}

/** A region without a hole. */
export interface Completed {
  layers: Float32Array[];
  /** Per luma px: how many frames the sample is a mean of; 0 = it was invented. */
  support: Float32Array;
}

/** A layer of samples and where it is known (1 per luma px). */
interface Layer {
  planes: readonly Float32Array[];
  covers: Uint8Array;
}

/** Completed pieces for what is unseen, in the order of their use, and a plate that a person has chosen. */
export interface Plates {
  texture: readonly Plate[];
  still?: Plate;
}

/** Fills a region from its sources in their order, each joined to what is known before it. */
export class Completer {
  constructor(
    private readonly kernels: Kernels,
    private readonly motion: CameraMotion,
    private readonly format: FrameFormat,
    private readonly plates: Plates,
    private readonly order: readonly SourceKind[],
    /** Strength of the light match, 0..1: a still plate's is matched along the border. */
    private readonly light: number,
  ) {}

  complete(known: Known): Completed {
    const { region } = known;
    const out: Completed = {
      layers: known.planes.map((p) => p.slice()),
      support: new Float32Array(known.support.length),
    };
    const open = this.openPixels(known);
    for (const kind of [...this.order, 'colours'] as const) {
      if (left(region, open) === 0) break;
      // What is joined is joined to the frame itself too.
      if (kind !== 'frames') this.take(out, region, open, { planes: known.own, covers: region.known });
      this.useSource(kind, known, out, open);
    }
    return out;
  }

  /** Pixels of active tiles. */
  private openPixels({ region, support }: Known): Uint8Array {
    const open = new Uint8Array(support.length);
    const spans = spansOf(region, this.format, 0, RIM_TILE);
    for (let k = 0; k < spans.length; k += 3) {
      const row = spans[k] * region.rect.width;
      open.fill(1, row + spans[k + 1], row + spans[k + 2]);
    }
    return open;
  }

  private useSource(kind: SourceKind, known: Known, out: Completed, open: Uint8Array): void {
    const { region } = known;
    if (kind === 'frames') this.useFrames(known, out, open);
    else if (kind === 'donor' && known.donor) this.useDonor(known.donor, region, out, open);
    else if (kind === 'plate' && this.plates.still) this.usePlate(this.plates.still, known, out, open);
    else if (kind === 'texture') this.useTexture(known, out, open);
    else if (kind === 'colours') this.useColours(region, out.layers, open);
  }

  /** The layers hold what other frames show from the start. */
  private useFrames({ support }: Known, out: Completed, open: Uint8Array): void {
    for (let i = 0; i < open.length; i++) {
      if (open[i] === 0 || support[i] <= UNSEEN_SUPPORT) continue;
      out.support[i] = support[i];
      open[i] = 0;
    }
  }

  private useDonor(donor: NonNullable<Known['donor']>, region: Region, out: Completed, open: Uint8Array): void {
    const covers = coverage(donor.support);
    for (let i = 0; i < open.length; i++) if (covers[i] & open[i]) out.support[i] = 1;
    this.join(out, region, open, { planes: donor.planes, covers }, 1);
  }

  private useTexture(known: Known, out: Completed, open: Uint8Array): void {
    for (const plate of this.plates.texture) {
      const layer = this.layerOf(plate, known, open);
      if (layer) this.join(out, known.region, open, layer, 1);
    }
  }

  private usePlate(plate: Plate, known: Known, out: Completed, open: Uint8Array): void {
    const layer = this.layerOf(plate, known, open);
    if (!layer) return;
    for (let i = 0; i < open.length; i++) if (layer.covers[i] & open[i]) out.support[i] = PLATE_SUPPORT;
    this.join(out, known.region, open, layer, this.light);
  }

  /** A plate as a region sees it, where something is open; undefined if that is nowhere, or in another scene. */
  private layerOf(plate: Plate, { region, transfer }: Known, open: Uint8Array): Layer | undefined {
    if (!this.motion.sameScene(plate.frame, region.frame) || left(region, open) === 0) return undefined;
    // The transfer reaches into the tiles around those that are used.
    const wanted = nearTilesOf(region, open, 2);
    const { planes, covers } = samplePlate(this.kernels, plate, region, wanted, this.motion, this.format);
    planes[0] = applyTransfer(this.kernels, planes[0], region, transfer);
    const near = nearTilesOf(region, open, 1);
    // Beyond the active tiles neither the transfer nor what is known has values.
    for (let i = 0; i < covers.length; i++) {
      const tile = tileAt(region, i);
      if (near[tile] === 0 || region.active[tile] === 0) covers[i] = 0;
    }
    return { planes, covers };
  }

  /** Where nothing at all is known: a smooth continuation of the surroundings. */
  private useColours(region: Region, layers: Float32Array[], open: Uint8Array): void {
    layers.forEach((samples, plane) => {
      const { sum, weight } = cellSums(region, this.format, plane, (i, luma) =>
        open[luma] === 0 ? samples[i] : undefined,
      );
      const field = membrane(offsetGrid(region), sum, weight);
      const smooth = plusField(this.kernels, new Float32Array(samples.length), region, this.format, plane, field);
      this.copyWhere(region, plane, open, smooth, samples);
    });
    open.fill(0);
  }

  /**
   * Takes a layer where it is known and wanted, plus a membrane of what differs on pixels that are known already.
   * What passes before the border is left out of it.
   * @param strength - Of that membrane, 0..1.
   */
  private join(out: Completed, region: Region, open: Uint8Array, { planes, covers }: Layer, strength: number): void {
    const differences = (plane: number, of = (v: number): number => v): CellSums => {
      const [known, samples] = [out.layers[plane], planes[plane]];
      return cellSums(region, this.format, plane, (i, luma) =>
        open[luma] === 0 && covers[luma] === 1 ? of(known[i] - samples[i]) : undefined,
      );
    };
    const unit = 2 ** (this.format.depth - 8);
    // Some things differ from what is behind them in their colour alone.
    const strange = planes.map((_, p) =>
      strangeCells(
        offsetGrid(region),
        differences(p),
        differences(p, (v) => v * v),
        unit,
      ),
    );
    const joined = planes.map((samples, plane) => {
      const { sum, weight } = differences(plane);
      for (let i = 0; i < sum.length; i++) if (strange.some((cells) => cells[i] === 1)) sum[i] = weight[i] = 0;
      const field = membrane(offsetGrid(region), sum, weight).map((v) => v * strength);
      return plusField(this.kernels, samples, region, this.format, plane, field);
    });
    this.take(out, region, open, { planes: joined, covers });
  }

  private take({ layers }: Completed, region: Region, open: Uint8Array, { planes, covers }: Layer): void {
    const taken = covers.map((c, i) => c & open[i]);
    if (!taken.includes(1)) return;
    layers.forEach((samples, plane) => this.copyWhere(region, plane, taken, planes[plane], samples));
    for (let i = 0; i < open.length; i++) if (taken[i]) open[i] = 0;
  }

  private copyWhere(region: Region, plane: number, mask: Uint8Array, from: Float32Array, to: Float32Array): void {
    const { stepX, stepY } = this.format.planes[plane];
    const size = planeSize(region, this.format, plane);
    for (let y = 0, i = 0; y < size.height; y++) {
      const row = y * stepY * region.rect.width;
      for (let x = 0; x < size.width; x++, i++) if (mask[row + x * stepX] === 1) to[i] = from[i];
    }
  }
}

const coverage = (support: Float32Array): Uint8Array => Uint8Array.from(support, (s) => (s > UNSEEN_SUPPORT ? 1 : 0));

/** Pixels to be removed that are still open. */
function left(region: Region, open: Uint8Array): number {
  let n = 0;
  for (let i = 0; i < open.length; i++) if (open[i] === 1 && region.alpha[i] > 0) n++;
  return n;
}

/** The tile that a px of a region lies in. */
function tileAt({ rect, cols }: Region, i: number): number {
  const x = i % rect.width;
  return Math.floor((i - x) / rect.width / TILE) * cols + Math.floor(x / TILE);
}

/** Tiles with open pixels, and those up to `reach` tiles away: the join to what is known is measured there. */
function nearTilesOf(region: Region, open: Uint8Array, reach: number): Uint8Array {
  const { cols, rows } = region;
  const out = new Uint8Array(cols * rows);
  for (let i = 0; i < open.length; i++) {
    if (open[i] === 0) continue;
    const tile = tileAt(region, i);
    const [c, r] = [tile % cols, Math.floor(tile / cols)];
    if (out[tile] === 2) continue;
    for (let b = Math.max(0, r - reach); b <= Math.min(rows - 1, r + reach); b++) {
      for (let a = Math.max(0, c - reach); a <= Math.min(cols - 1, c + reach); a++) out[b * cols + a] ||= 1;
    }
    out[tile] = 2;
  }
  return out;
}

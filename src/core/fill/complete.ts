import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat } from '../image/format.ts';
import type { CarriedMotion } from '../depth/carriedMotion.ts';
import { addBorder, detailTrust } from './borderField.ts';
import { carriedBy } from './carriedPlate.ts';
import { Crop } from './crop.ts';
import type { Donated } from './donor.ts';
import { offsetGrid } from './offsetGrid.ts';
import { samplePlate, type Plate } from './plate.ts';
import { HOLE_TILE, partOf, planeSize, RIM_TILE, runsOf, spansOf, tilesWith, type Region } from './region.ts';
import type { SourceKind } from './settings.ts';
import { cellDifferences, fieldOf, plusField, type CellSums } from './smoothField.ts';
import { smallHoles } from './smallHoles.ts';
import { softenPlanes, type Softening } from './soften.ts';
import { strangeCells } from './strangeCells.ts';
import { applyTransfer } from './transfer.ts';
import { bytesOf } from '../image/mapped.ts';

/** Support up to which a gathered pixel counts as unseen. */
export const UNSEEN_SUPPORT = 0.02;

/** How far around what is open there is something to do, tiles. */
const REACH = 2;

/** Holes up to so thick count as small: px, or a share of the frame's longer side. */
const SMALL_PX = 16;
const SMALL_SHARE = 0.03;

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
  /** What makes plates as soft as the planes have been made. */
  softening?: Softening;
  transfer: Float32Array;
  /** How restless its background is, per cell of the offset grid, 0..1: one frame is shown there, not a mean that is to be sharpened. */
  restless?: Float32Array;
  /** What the donor shows, if there is one, by frame: the first comes first. */
  donor?: readonly Donated[];
}

/** A region without a hole. */
export interface Completed {
  layers: Float32Array[];
  /** Per luma px: how many frames the sample is a mean of; 0 = it was invented. */
  support: Float32Array;
}

/** What pieces are fitted to. */
type Around = Pick<Known, 'region' | 'softening' | 'transfer'>;

/** What says nothing of what is seen: used only around what is still open. */
type PartSource = Exclude<SourceKind, 'frames'>;

/** A layer of samples and where it is known (1 per luma px). */
interface Layer {
  planes: readonly Float32Array[];
  covers: Uint8Array;
}

/** A layer that is of use in some tiles only: the region without its other tiles. */
interface Piece extends Layer {
  part: Region;
}

/** How a layer is joined to what is known. */
interface Joining {
  /** Of the membrane, 0..1. */
  strength: number;
  /** Of the px taken: how many frames they count as the mean of. */
  support: number;
  /** Small holes meet the px beside them too. */
  meets?: boolean;
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
    /** How plates are carried. */
    private readonly motion: CarriedMotion,
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
      const left = openTiles(region, open);
      if (!left.includes(1)) break;
      if (kind === 'frames') this.useFrames(known, out, open);
      else this.useAround(kind, known, out, open, tilesNear(region, left, REACH));
    }
    return out;
  }

  /** Uses a source in the part of the region that has something to do. @param near - Its tiles. */
  private useAround(kind: PartSource, known: Known, out: Completed, open: Uint8Array, near: Uint8Array): void {
    const crop = new Crop(known.region, this.format, near);
    const planesOf = (planes: readonly Float32Array[]): Float32Array[] => planes.map((p, plane) => crop.of(p, plane));
    const part = { ...known, region: crop.region, own: planesOf(known.own) };
    const completed = { layers: planesOf(out.layers), support: crop.of(out.support) };
    const left = crop.of(open);
    // What is joined is joined to the frame itself too.
    this.take(completed, part.region, left, { planes: part.own, covers: part.region.known }, 0);
    if (kind === 'donor') {
      for (const { planes, support } of known.donor ?? []) {
        this.useDonor({ planes: planesOf(planes), support: crop.of(support) }, part.region, completed, left);
      }
    } else if (kind === 'plate') this.usePlate(part, completed, left);
    else if (kind === 'texture') this.useTexture(part, completed, left);
    else this.useColours(part.region, completed.layers, left);
    completed.layers.forEach((samples, plane) => crop.putBack(samples, out.layers[plane], plane));
    crop.putBack(completed.support, out.support);
    crop.putBack(left, open);
  }

  /** Pixels of active tiles. */
  private openPixels({ region, support }: Known): Uint8Array {
    const open = new Uint8Array(support.length);
    const runs = this.lumaRuns(region);
    for (let k = 0; k < runs.length; k += 2) open.fill(1, runs[k], runs[k + 1]);
    return open;
  }

  /** The layers hold what other frames show from the start. */
  private useFrames({ region, support }: Known, out: Completed, open: Uint8Array): void {
    const runs = this.lumaRuns(region);
    for (let k = 0; k < runs.length; k += 2) {
      for (let i = runs[k]; i < runs[k + 1]; i++) {
        if (open[i] === 0 || support[i] <= UNSEEN_SUPPORT) continue;
        out.support[i] = support[i];
        open[i] = 0;
      }
    }
  }

  private useDonor({ planes, support }: Donated, region: Region, out: Completed, open: Uint8Array): void {
    this.join(out, region, open, { planes, covers: coverage(support) }, { strength: 1, support: 1 });
  }

  private useTexture(known: Around, out: Completed, open: Uint8Array): void {
    for (const plate of this.plates.texture) {
      const piece = this.pieceOf(plate, known, open);
      if (piece) this.join(out, piece.part, open, piece, { strength: 1, support: 0, meets: true });
    }
  }

  private usePlate(known: Around, out: Completed, open: Uint8Array): void {
    const piece = this.plates.still && this.pieceOf(this.plates.still, known, open);
    if (piece) this.join(out, piece.part, open, piece, { strength: this.light, support: PLATE_SUPPORT });
  }

  /** A plate as a region sees it, where something is open; undefined if that is nowhere, or in another scene. */
  private pieceOf(plate: Plate, { region, softening, transfer }: Around, open: Uint8Array): Piece | undefined {
    const left = openTiles(region, open);
    if (!this.motion.knows(region.frame, plate.frame) || !left.includes(1)) return undefined;

    // The transfer reaches into the tiles around those that are used.
    const wanted = tilesNear(region, left, REACH);
    // Beyond the active tiles neither the transfer nor what is known has values.
    const used = tilesNear(region, left, REACH - 1).map((near, tile) => near & Math.min(1, region.active[tile]));
    if (plate.byDepth) this.motion.lay(region);
    const surfaces = plate.byDepth ? this.motion.surfaces(region.frame) : undefined;
    const lies = surfaces && carriedBy(region, surfaces, left);
    const tiles = { wanted, used, lies };
    const sampled = samplePlate(this.kernels, plate, region, tiles, this.motion, this.format);
    const { covers } = sampled;
    const planes = softening
      ? softenPlanes(this.kernels, sampled.planes, Float32Array.from(covers), region, this.format, softening)
      : sampled.planes;
    planes[0] = applyTransfer(this.kernels, planes[0], region, transfer);
    return { planes, covers, part: partOf(region, used) };
  }

  /** Where nothing at all is known: a smooth continuation of the surroundings, which meets them px by px. */
  private useColours(region: Region, layers: Float32Array[], open: Uint8Array): void {
    const known = new Uint8Array(open.length);
    const runs = this.lumaRuns(region);
    for (let k = 0; k < runs.length; k += 2) for (let i = runs[k]; i < runs[k + 1]; i++) known[i] = 1 - open[i];
    const tiles = openTiles(region, open);
    layers.forEach((samples, plane) => {
      const nothing = new Float32Array(samples.length);
      const field = fieldOf(region, cellDifferences(region, this.format, plane, samples, nothing, known));
      const smooth = plusField(this.kernels, nothing, region, this.format, plane, field, RIM_TILE);
      addBorder(region, this.format, plane, smooth, samples, { known, open, tiles });
      this.copyWhere(region, plane, open, smooth, samples);
    });
    open.fill(0);
  }

  /**
   * Takes a layer where it is known and wanted, plus a membrane of what differs on pixels that are known already.
   * What passes before the border is left out of it.
   */
  private join(
    out: Completed,
    region: Region,
    open: Uint8Array,
    { planes, covers }: Layer,
    { strength, support, meets = false }: Joining,
  ): void {
    const both = new Uint8Array(covers.length);
    const runs = this.lumaRuns(region);
    for (let k = 0; k < runs.length; k += 2) for (let i = runs[k]; i < runs[k + 1]; i++) both[i] = covers[i] & ~open[i];
    const differences = planes.map((samples, plane) =>
      cellDifferences(region, this.format, plane, out.layers[plane], samples, both),
    );
    // Some things differ from what is behind them in their colour alone.
    const unit = 2 ** (this.format.depth - 8);
    const strange = differences.map((d) => strangeCells(offsetGrid(region), d, unit));
    const joined = planes.map((samples, plane) => {
      for (const cells of strange) leaveOut(differences[plane], cells);
      const field = fieldOf(region, differences[plane]);
      if (strength !== 1) for (let i = 0; i < field.length; i++) field[i] *= strength;
      return plusField(this.kernels, samples, region, this.format, plane, field);
    });
    if (meets) this.meet(out, region, open, joined, both, covers);
    this.take(out, region, open, { planes: joined, covers }, support);
  }

  /**
   * Leads samples that are to be taken in small holes to what is known right beside them, px by px: light that moves over the
   * ground, and reflections. In larger ones that would draw far inward what passes before the border.
   */
  private meet(
    out: Completed,
    region: Region,
    open: Uint8Array,
    planes: readonly Float32Array[],
    known: Uint8Array,
    covers: Uint8Array,
  ): void {
    const taken = bytesOf(covers, (c, i) => c & open[i]);
    const most = Math.max(SMALL_PX, SMALL_SHARE * Math.max(this.format.width, this.format.height));
    // What is left open around a hole, since its edge may still show the thing, is as wide on a draft as at full size.
    const holes = bytesOf(taken, (t, i) => (t === 1 && region.alpha[i] > 0 ? 1 : 0));
    const tiles = smallHoles(region, openTiles(region, taken), holes, most);
    if (!tiles.includes(1)) return;
    const spots = { known, open: taken, tiles };
    const unit = 2 ** (this.format.depth - 8);
    const trust = detailTrust(region, this.format, planes[0], out.layers[0], spots, unit);
    planes.forEach((samples, plane) => addBorder(region, this.format, plane, samples, out.layers[plane], spots, trust));
  }

  private take(out: Completed, region: Region, open: Uint8Array, { planes, covers }: Layer, support: number): void {
    const taken = new Uint8Array(covers.length);
    const runs = this.lumaRuns(region);
    for (let k = 0; k < runs.length; k += 2) {
      for (let i = runs[k]; i < runs[k + 1]; i++) {
        if ((covers[i] & open[i]) === 0) continue;
        taken[i] = 1;
        out.support[i] = support;
        open[i] = 0;
      }
    }
    out.layers.forEach((samples, plane) => this.copyWhere(region, plane, taken, planes[plane], samples));
  }

  private copyWhere(region: Region, plane: number, mask: Uint8Array, from: Float32Array, to: Float32Array): void {
    const { stepX, stepY } = this.format.planes[plane];
    const { width } = planeSize(region, this.format, plane);
    const spans = spansOf(region, this.format, plane, RIM_TILE);
    for (let k = 0; k < spans.length; k += 3) {
      const row = spans[k] * stepY * region.rect.width;
      const first = spans[k] * width;
      for (let x = spans[k + 1]; x < spans[k + 2]; x++)
        if (mask[row + x * stepX] === 1) to[first + x] = from[first + x];
    }
  }

  private lumaRuns(region: Region): Int32Array {
    return runsOf(region, this.format, 0, RIM_TILE);
  }
}

const coverage = (support: Float32Array): Uint8Array => bytesOf(support, (s) => (s > UNSEEN_SUPPORT ? 1 : 0));

/** Forgets what was summed in some cells. */
function leaveOut({ sum, weight }: CellSums, cells: Uint8Array): void {
  for (let i = 0; i < cells.length; i++) if (cells[i] === 1) sum[i] = weight[i] = 0;
}

/** 1 for the tiles in which px that are to be removed are still open. */
const openTiles = (region: Region, open: Uint8Array): Uint8Array => tilesWith(region, HOLE_TILE, open, region.alpha);

/** Some tiles and those up to `reach` tiles away. */
function tilesNear({ cols, rows }: Region, tiles: Uint8Array, reach: number): Uint8Array {
  return tiles.map((_, i) => {
    const [c, r] = [i % cols, Math.floor(i / cols)];
    for (let b = Math.max(0, r - reach); b <= Math.min(rows - 1, r + reach); b++) {
      for (let a = Math.max(0, c - reach); a <= Math.min(cols - 1, c + reach); a++)
        if (tiles[b * cols + a] === 1) return 1;
    }
    return 0;
  });
}

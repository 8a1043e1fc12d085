import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat } from '../image/format.ts';
import { TILE, type Region } from './region.ts';
import { AGREEMENT_FLOATS } from './sourceAgreement.ts';

/** Kernel memory for one row of tiles of all sources. */
export class BandBuffers {
  readonly lumaSamples: number;
  /** Samples of a band per plane. */
  readonly samples: number[];
  readonly values: number[];
  readonly usable: number;
  /** How far each source's colour agrees, per luma px, 0..255. */
  readonly agreed: number;
  readonly weights: number;
  readonly params: number;
  readonly mean: number;
  readonly support: number;
  readonly share: number;
  readonly active: number;
  readonly map: number;
  /** Of the four cells of each tile, per source. */
  readonly cells: number;
  /** Of eight floats per source. */
  readonly scratch: number;

  constructor(kernels: Kernels, region: Region, format: FrameFormat, sources: number) {
    this.lumaSamples = region.rect.width * TILE;
    this.samples = format.planes.slice(0, format.colourPlanes).map((p) => this.lumaSamples / (p.stepX * p.stepY));
    this.values = this.samples.map((n) => kernels.alloc(n * sources * 4));
    for (const [i, at] of this.values.entries()) kernels.f32(at, this.samples[i] * sources).fill(0);
    this.usable = kernels.alloc(this.lumaSamples * sources);
    this.agreed = kernels.alloc(this.lumaSamples * sources);
    this.weights = kernels.alloc(this.lumaSamples * sources * 4);
    this.params = kernels.alloc(sources * 12);
    this.mean = kernels.alloc(this.lumaSamples * 4);
    this.support = kernels.alloc(this.lumaSamples * 4);
    this.share = kernels.alloc(this.lumaSamples * 4);
    this.active = kernels.alloc(region.cols);
    this.map = kernels.alloc((region.cols + 1) * 16);
    this.cells = kernels.alloc(sources * 4 * region.cols * AGREEMENT_FLOATS * 4);
    this.scratch = kernels.alloc(sources * 32);
  }
}

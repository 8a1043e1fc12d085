/** Functions of `assembly/`, as compiled. Pointers are byte offsets into the module's memory. */
export interface KernelFunctions {
  widenBytes(src: number, dst: number, n: number): void;
  roundSamples(src: number, n: number, factor: number, most: number, dst: number): void;
  cutPlane(
    src: number,
    stride: number,
    x: number,
    bytes: number,
    depth: number,
    w: number,
    h: number,
    dst: number,
    bits: number,
  ): void;
  halve(src: number, w: number, h: number, dst: number, row: number): void;
  meanSquares(src: number, bytes: number, w: number, h: number, factor: number, dst: number, columns: number): void;
  cornerScore(src: number, w: number, h: number, out: number, work: number): void;
  trackPoints(
    tpl: number,
    img: number,
    w: number,
    h: number,
    points: number,
    n: number,
    iterations: number,
    work: number,
  ): void;
  prepareCells(img: number, w: number, h: number, records: number, data: number, n: number): void;
  alignCells(img: number, w: number, h: number, records: number, data: number, n: number, work: number): void;
  correlateRegion(
    img: number,
    w: number,
    h: number,
    tpl: number,
    mask: number,
    tw: number,
    th: number,
    energy: number,
    area: number,
    out: number,
  ): void;
  warpTiles(
    src: number,
    stride: number,
    w: number,
    h: number,
    map: number,
    cols: number,
    rows: number,
    tile: number,
    active: number,
    out: number,
    outStride: number,
  ): void;
  usableTiles(
    blocked: number,
    stride: number,
    w: number,
    h: number,
    frameX: number,
    frameY: number,
    frameW: number,
    frameH: number,
    border: number,
    map: number,
    cols: number,
    rows: number,
    tile: number,
    active: number,
    out: number,
    outStride: number,
  ): void;
  placeWindows(corners: number, n: number, side: number, across: number, spacing: number, out: number): void;
  sampleFree(
    src: number,
    w: number,
    h: number,
    scale: number,
    places: number,
    n: number,
    cells: number,
    cols: number,
    rows: number,
    side: number,
    out: number,
  ): void;
  warpPoints(src: number, stride: number, w: number, h: number, points: number, n: number, out: number): void;
  agreeColour(
    values: number,
    step: number,
    usable: number,
    agreed: number,
    byteStep: number,
    row: number,
    n: number,
    params: number,
    tau: number,
    scratch: number,
    w: number,
    sx: number,
    sy: number,
  ): void;
  fuse(
    values: number,
    usable: number,
    agreed: number,
    weights: number,
    step: number,
    n: number,
    params: number,
    tau: number,
    mean: number,
    support: number,
    share: number,
    count: number,
    densest: boolean,
  ): void;
  judgeCells(
    usable: number,
    weights: number,
    step: number,
    n: number,
    params: number,
    support: number,
    share: number,
    witnesses: number,
    active: number,
    cols: number,
    out: number,
  ): void;
  fuseChroma(
    values: number,
    step: number,
    weights: number,
    weightStep: number,
    weightRow: number,
    n: number,
    params: number,
    mean: number,
    w: number,
    sx: number,
    sy: number,
  ): void;
  correlateTiles(
    src: number,
    w: number,
    h: number,
    kernel: number,
    side: number,
    out: number,
    active: number,
    cols: number,
    tileW: number,
    tileH: number,
  ): void;
  whiteNoise(
    out: number,
    w: number,
    h: number,
    x0: number,
    y0: number,
    seed: number,
    active: number,
    cols: number,
    tileW: number,
    tileH: number,
  ): void;
  addField(
    samples: number,
    w: number,
    field: number,
    fieldCols: number,
    fieldRows: number,
    active: number,
    kind: number,
    cols: number,
    rows: number,
    tileW: number,
    tileH: number,
    perTile: number,
  ): void;
  dilate(src: number, w: number, h: number, r: number, out: number, work: number): void;
  maskCells(
    mask: number,
    w: number,
    h: number,
    kind: number,
    cell: number,
    near: number,
    cols: number,
    rows: number,
    state: number,
    box: number,
  ): void;
  fitRows(
    source: number,
    target: number,
    places: number,
    n: number,
    offsets: number,
    taps: number,
    unit: number,
    scale: number,
    normal: number,
    work: number,
  ): void;
  freeCells(mask: number, w: number, h: number, places: number, n: number, seen: number): void;
  projectCells(cells: number, n: number, m: number, out: number): void;
  cellSums(plane: number, other: number, w: number, h: number, map: number, cell: number, sums: number): void;
  layPlane(
    src: number,
    w: number,
    h: number,
    map: number,
    gains: number,
    cell: number,
    out: number,
    work: number,
  ): void;
  unlikeness(frame: number, over: number, w: number, h: number, radius: number, out: number, work: number): void;
  addCost(
    total: number,
    w: number,
    h: number,
    part: number,
    pw: number,
    stepX: number,
    stepY: number,
    times: number,
  ): void;
  forgiveEdges(plane: number, w: number, h: number, cost: number, work: number): void;
  rankPlanes(planes: number, n: number, px: number, share: number, least: number, out: number, work: number): void;
  patchSweep(
    image: number,
    w: number,
    h: number,
    target: number,
    source: number,
    field: number,
    cost: number,
    apart: number,
    sweep: number,
    seed: number,
  ): void;
  patchVote(
    image: number,
    w: number,
    h: number,
    missing: number,
    target: number,
    field: number,
    cost: number,
    scale: number,
    sharp: number,
    out: number,
  ): void;
}

/** The module's memory is exhausted: the work at hand needs more than the ceiling it was given. */
export class KernelMemoryError extends Error {
  readonly code = 'kernel_memory';
  constructor(wanted: number, limit: number) {
    super(`The computation needs ${wanted} bytes more than its ceiling of ${limit} bytes allows`);
  }
}

const PAGE = 65536;
const ALIGN = 16;
/** Address space reserved for one instance; pages cost memory only once they are written. */
const DEFAULT_BYTES = 1 << 30;

/**
 * One instance of the compiled kernels with a memory of its own, handed out by a mark-and-release arena.
 * Not shared between threads: each worker has its own.
 */
export class Kernels {
  private top: number;

  private constructor(
    readonly run: KernelFunctions,
    private readonly memory: WebAssembly.Memory,
    heapBase: number,
  ) {
    this.top = heapBase;
  }

  /**
   * @param wasm - Bytes of `kernels.wasm`.
   * @param bytes - Ceiling of this instance's memory.
   */
  static async create(wasm: BufferSource, bytes = DEFAULT_BYTES): Promise<Kernels> {
    const pages = Math.ceil(bytes / PAGE);
    const memory = new WebAssembly.Memory({ initial: pages, maximum: Math.max(pages, 32768) });
    const { instance } = await WebAssembly.instantiate(wasm, { env: { memory } });
    const run = instance.exports as unknown as KernelFunctions & { heapBase(): number };
    return new Kernels(run, memory, align(run.heapBase()));
  }

  /** Reserves bytes, aligned to 16, with room for a vector read past the end. */
  alloc(bytes: number): number {
    const at = this.top;
    const next = align(at + bytes + 64);
    if (next > this.memory.buffer.byteLength) throw new KernelMemoryError(bytes, this.memory.buffer.byteLength);
    this.top = next;
    return at;
  }

  /** The arena's present end, for {@link release}: for work that is done in steps, where {@link scoped} cannot hold. */
  mark(): number {
    return this.top;
  }

  release(mark: number): void {
    this.top = mark;
  }

  /** Runs `work`, then gives back all that it reserved. */
  scoped<T>(work: () => T): T {
    const mark = this.top;
    try {
      return work();
    } finally {
      this.top = mark;
    }
  }

  u8(at: number, n: number): Uint8Array<ArrayBuffer> {
    return new Uint8Array(this.memory.buffer as ArrayBuffer, at, n);
  }
  u16(at: number, n: number): Uint16Array<ArrayBuffer> {
    return new Uint16Array(this.memory.buffer as ArrayBuffer, at, n);
  }
  i32(at: number, n: number): Int32Array<ArrayBuffer> {
    return new Int32Array(this.memory.buffer as ArrayBuffer, at, n);
  }
  f32(at: number, n: number): Float32Array<ArrayBuffer> {
    return new Float32Array(this.memory.buffer as ArrayBuffer, at, n);
  }

  f64(at: number, n: number): Float64Array<ArrayBuffer> {
    return new Float64Array(this.memory.buffer as ArrayBuffer, at, n);
  }

  /** Copies values into fresh memory; returns their place. */
  put(values: Float32Array | Uint8Array | Uint16Array | Int32Array): number {
    const at = this.alloc(values.byteLength);
    this.u8(at, values.byteLength).set(new Uint8Array(values.buffer, values.byteOffset, values.byteLength));
    return at;
  }
}

const align = (n: number): number => Math.ceil(n / ALIGN) * ALIGN;

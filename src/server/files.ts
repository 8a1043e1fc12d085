import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';

/** Where everything lies under the data folder. Names are hashes and ids of ours, never a person's text. */
export class Files {
  constructor(private readonly root: string) {}

  readonly folders = [
    'incoming',
    'clips',
    'proxies',
    'strips',
    'stores',
    'takes',
    'reveals',
    'searches',
    'mattes',
    'tracks',
    'plates',
    'exports',
    'scratch',
  ] as const;

  async prepare(): Promise<void> {
    for (const folder of this.folders) await mkdir(join(this.root, folder), { recursive: true });
  }

  get incoming(): string {
    return join(this.root, 'incoming');
  }
  get scratch(): string {
    return join(this.root, 'scratch');
  }
  clip(hash: string, extension: string): string {
    return join(this.root, 'clips', `${hash}${extension}`);
  }
  proxy(hash: string): string {
    return join(this.root, 'proxies', `${hash}.mp4`);
  }
  get stores(): string {
    return join(this.root, 'stores');
  }
  take(id: string): string {
    return join(this.root, 'takes', id);
  }
  /** Playable copy of a take, like a clip's proxy. */
  takeProxy(id: string): string {
    return join(this.root, 'takes', id, 'proxy.mp4');
  }
  reveal(key: string, kind: 'json' | 'maps'): string {
    return join(this.root, 'reveals', `${key}.${kind}`);
  }
  /** What a search of a shot found: outlines of what moves, its masks, and how the camera moves. */
  search(id: string, kind: 'json' | 'masks' | 'camera'): string {
    return join(this.root, 'searches', `${id}.${kind}`);
  }
  /** Frames of a matte that was brought in. */
  matte(id: string): string {
    return join(this.root, 'mattes', id);
  }
  /** A plate in the clip's own samples. */
  plate(id: string): string {
    return join(this.root, 'plates', `${id}.bin`);
  }
  /** A plate as a picture, made when it is asked for. */
  platePicture(id: string, kind: 'small.png' | 'png' | 'tif'): string {
    return join(this.root, 'plates', `${id}.${kind}`);
  }
  plateFiles(id: string): string[] {
    return [this.plate(id), ...(['small.png', 'png', 'tif'] as const).map((kind) => this.platePicture(id, kind))];
  }
  get tracks(): string {
    return join(this.root, 'tracks');
  }
  /** What a track held on to, frame by frame. */
  trackPoints(shotId: string, trackId: string): string {
    return join(this.tracks, `${shotId}-${trackId}.json`);
  }
  exportFolder(id: string): string {
    return join(this.root, 'exports', id);
  }
  strip(hash: string): string {
    return join(this.root, 'strips', `${hash}.jpg`);
  }
}

import type { ClipView } from '../../contract/clips.ts';
import type { DemoState } from '../../contract/demo.ts';
import type { ErrorBody } from '../../contract/errors.ts';
import type { EditBody, ShotBody, ShotChange, ShotState, ShotView, StepBody } from '../../contract/shots.ts';
import type { MatteView, SoftenBody } from '../../contract/mattes.ts';
import type { MoverOutlines, SearchView } from '../../contract/movers.ts';
import type { FittedDonor } from '../../contract/donors.ts';
import type { Donor } from '../../core/fill/settings.ts';
import type { PlateBody, PlatePicture, PlateView } from '../../contract/plates.ts';
import type { PointBody, PointedOutline } from '../../contract/outlines.ts';
import type { FollowBody, FollowView, TrackPoints } from '../../contract/tracks.ts';
import type { ExportBody, ExportView, RevealView, TakeBody, TakeChange, TakeView } from '../../contract/takes.ts';

/** An answer that was not what was asked for: `code` for programs, `message` for people. */
export class ApiError extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
  }

  /** Whether the same request may do well later: nothing was wrong with it. */
  get passing(): boolean {
    return this.code === 'unavailable' || this.code === 'internal';
  }
}

/** No answer of the API takes long; one that hangs counts as none, ms. */
const PATIENCE_MS = 20_000;

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await fetch(`/api${path}`, {
    method,
    headers: body === undefined ? {} : { 'content-type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
    signal: AbortSignal.timeout(PATIENCE_MS),
  }).catch(() => {
    throw new ApiError('unavailable', 'The server cannot be reached. Is it running?');
  });
  if (response.status === 204) return undefined as T;
  const answer: unknown = await response.json().catch(() => undefined);
  if (!response.ok) {
    const { code = 'internal', message = 'The server gave no reason.' } = (answer ?? {}) as Partial<ErrorBody>;
    throw new ApiError(code, message);
  }
  return answer as T;
}

export const api = {
  clips: () => call<ClipView[]>('GET', '/clips'),
  demo: () => call<DemoState>('GET', '/demo'),
  removeClip: (id: string) => call<undefined>('DELETE', `/clips/${id}`),
  restoreClip: (id: string) => call<ClipView>('POST', `/clips/${id}/restore`),

  shots: () => call<ShotView[]>('GET', '/shots'),
  addShot: (body: ShotBody) => call<ShotView>('POST', '/shots', body),
  shot: (id: string) => call<ShotState>('GET', `/shots/${id}`),
  changeShot: (id: string, change: ShotChange) => call<ShotView>('PATCH', `/shots/${id}`, change),
  removeShot: (id: string) => call<undefined>('DELETE', `/shots/${id}`),
  restoreShot: (id: string) => call<ShotView>('POST', `/shots/${id}/restore`),
  edit: (id: string, body: EditBody) => call<ShotState>('POST', `/shots/${id}/edits`, body),
  undo: (id: string, body: StepBody) => call<ShotState>('POST', `/shots/${id}/undo`, body),
  redo: (id: string, body: StepBody) => call<ShotState>('POST', `/shots/${id}/redo`, body),

  reveal: (shotId: string, removalId: string) => call<RevealView>('GET', `/shots/${shotId}/reveals/${removalId}`),
  retryReveal: (shotId: string, removalId: string) =>
    call<RevealView>('POST', `/shots/${shotId}/reveals/${removalId}/retry`),

  takes: (shotId: string) => call<TakeView[]>('GET', `/shots/${shotId}/takes`),
  addTake: (shotId: string, body: TakeBody) => call<TakeView>('POST', `/shots/${shotId}/takes`, body),
  changeTake: (id: string, change: TakeChange) => call<TakeView>('PATCH', `/takes/${id}`, change),
  cancelTake: (id: string) => call<TakeView>('POST', `/takes/${id}/cancel`),
  resumeTake: (id: string) => call<TakeView>('POST', `/takes/${id}/resume`),
  removeTake: (id: string) => call<undefined>('DELETE', `/takes/${id}`),
  previewTake: (id: string) => call<TakeView>('POST', `/takes/${id}/preview`),
  restoreTake: (id: string) => call<TakeView>('POST', `/takes/${id}/restore`),

  follows: (shotId: string) => call<FollowView[]>('GET', `/shots/${shotId}/follows`),
  follow: (shotId: string, trackId: string, body: FollowBody) =>
    call<FollowView>('POST', `/shots/${shotId}/tracks/${trackId}/follow`, body),
  trackPoints: (shotId: string, trackId: string, frame: number) =>
    call<TrackPoints>('GET', `/shots/${shotId}/tracks/${trackId}/points/${frame}`),
  cancelFollow: (id: string) => call<FollowView>('POST', `/follows/${id}/cancel`),

  point: (shotId: string, body: PointBody) => call<PointedOutline>('POST', `/shots/${shotId}/outlines`, body),
  followOutline: (shotId: string, shapeId: string, body: FollowBody) =>
    call<FollowView>('POST', `/shots/${shotId}/shapes/${shapeId}/follow`, body),

  mattes: (shotId: string) => call<MatteView[]>('GET', `/shots/${shotId}/mattes`),
  soften: (shotId: string, shapeId: string, body: SoftenBody) =>
    call<MatteView>('POST', `/shots/${shotId}/shapes/${shapeId}/soften`, body),
  dismissMatte: (id: string) => call<MatteView>('POST', `/mattes/${id}/dismiss`),

  fitDonor: (shotId: string, removalId: string, body: Donor) =>
    call<FittedDonor>('POST', `/shots/${shotId}/removals/${removalId}/donor`, body),
  plates: (shotId: string) => call<PlateView[]>('GET', `/shots/${shotId}/plates`),
  buildPlate: (shotId: string, body: PlateBody) => call<PlateView>('POST', `/shots/${shotId}/plates`, body),
  dismissPlate: (id: string) => call<PlateView>('POST', `/plates/${id}/dismiss`),

  movers: (shotId: string) => call<{ search: SearchView | null }>('GET', `/shots/${shotId}/movers`),
  searchMovers: (shotId: string) => call<SearchView>('POST', `/shots/${shotId}/movers`),
  cancelSearch: (shotId: string) => call<SearchView>('POST', `/shots/${shotId}/movers/cancel`),
  moverOutlines: (shotId: string, mover: number, shadow: boolean) =>
    call<MoverOutlines>('GET', `/shots/${shotId}/movers/${mover}/outlines${shadow ? '' : '-without-shadow'}`),

  exports: (shotId: string) => call<ExportView[]>('GET', `/shots/${shotId}/exports`),
  addExport: (shotId: string, body: ExportBody) => call<ExportView>('POST', `/shots/${shotId}/exports`, body),
  cancelExport: (id: string) => call<ExportView>('POST', `/exports/${id}/cancel`),
  removeExport: (id: string) => call<undefined>('DELETE', `/exports/${id}`),
};

const withTrims = (trims: string): string => (trims ? `?trims=${trims}` : '');

export const urls = {
  strip: (clipId: string): string => `/api/clips/${clipId}/strip`,
  clipProxy: (clipId: string): string => `/api/clips/${clipId}/proxy`,
  clipFrame: (clipId: string, frame: number): string => `/api/clips/${clipId}/frames/${frame}`,
  takeProxy: ({ id, trims }: TakeView): string => `/api/takes/${id}/proxy${withTrims(trims)}`,
  takeFrame: ({ id, trims }: TakeView, frame: number): string => `/api/takes/${id}/frames/${frame}${withTrims(trims)}`,
  shapes: (shotId: string, removalId: string, kind: 'svg' | 'json'): string =>
    `/api/shots/${shotId}/removals/${removalId}/${kind}`,
  trackTable: (shotId: string, trackId: string, kind: 'csv' | 'json'): string =>
    `/api/shots/${shotId}/tracks/${trackId}/${kind}`,
  revealMaps: (key: string): string => `/api/reveals/${key}/maps`,
  plate: (id: string, kind: PlatePicture): string => `/api/plates/${id}/picture/${kind}`,
  matteFrame: (id: string, frame: number): string => `/api/mattes/${id}/frames/${frame}`,
  exportFile: (id: string): string => `/api/exports/${id}/file`,
};

import { bytesOf } from '../image/mapped.ts';
import { RIM_TILE, tilesWith, type Region } from './region.ts';
import type { Restless } from './restless.ts';
import { SourceAgreement } from './sourceAgreement.ts';

/** Support below which a gathered px is too noisy to be measured against. */
export const MEASURABLE_SUPPORT = 0.8;

/** What other frames say about a region. */
export interface Gathered {
  region: Region;
  sources: number[];
  /** Fused samples per colour plane. */
  planes: Float32Array[];
  /** Sum of agreeing weights per luma px, 0 = no source sees it. A near, clean source counts 1. */
  support: Float32Array;
  /** The same as a share of the weights of all sources that see it: low where they contradict one another. */
  share: Float32Array;
  /** Difference from which samples disagree. */
  tau: number;
  /** Where its background moves by itself; undefined if all of it rests, or if that was not asked. */
  restless?: Restless;
  /** What each source shows of it. */
  agreement: SourceAgreement;
  /** The frame's own samples per colour plane. */
  own: Float32Array[];
}

/** What no source has said anything about yet. */
export function nothingOf(region: Region, sources: readonly number[], own: Float32Array[]): Gathered {
  const planes = own.map((samples) => new Float32Array(samples.length));
  const support = new Float32Array(region.rect.width * region.rect.height);
  const share = new Float32Array(support.length);
  const agreement = new SourceAgreement(region, sources.length);
  return { region, sources: [...sources], planes, support, share, tau: 0, agreement, own };
}

/** How near a px is to what the frame itself shows there, 0..1: as the sources agree with one another. */
export function agreementWithFrame({ planes, own }: Gathered, i: number, tau: number): number {
  const d = planes[0][i] - own[0][i];
  return (tau ** 2 / (tau ** 2 + d ** 2)) ** 2;
}

/** 1 for the tiles with px that no source shows. */
export const tilesUnseen = ({ region, support }: Gathered): Uint8Array =>
  tilesWith(
    region,
    RIM_TILE,
    bytesOf(support, (s) => (s > 0 ? 0 : 1)),
  );

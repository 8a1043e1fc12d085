import Joi from 'joi';

/** A clip as the API shows it. */
export interface ClipView {
  id: string;
  name: string;
  /** Bytes of the file. */
  size: number;
  state: 'importing' | 'ready' | 'failed';
  /** What the import is doing, and how far it is, 0..1. */
  stage: string;
  progress: number;
  /** Why an import failed: a stable code and a sentence. */
  error: { code: string; message: string } | null;
  /** Known once the file has been read. */
  info: ClipFacts | null;
  createdAt: string;
}

/** What a person is told about a clip's footage. Size in px as shown (after rotation). */
export interface ClipFacts {
  width: number;
  height: number;
  frames: number;
  rate: { num: number; den: number };
  variableRate: boolean;
  duration: number;
  codec: string;
  pixelFormat: string;
  rotation: number;
  colour: { range?: string; space?: string; primaries?: string; transfer?: string };
  interlaced: boolean;
  audio: boolean;
  /** As ffmpeg names it. */
  container: string;
  /** Time stamp of the first frame in the file's own clock, seconds. */
  start: number;
  /** Filmstrip: number of equal pictures side by side. */
  stripPictures: number;
}

export const MAX_NAME = 200;

export const clipParams = Joi.object<{ id: string }, true>({ id: Joi.string().uuid().required() });

export const renameBody = Joi.object<{ name: string }, true>({
  name: Joi.string().trim().min(1).max(MAX_NAME).required(),
});

import { statfs } from 'node:fs/promises';
import { FileStore } from '@tus/file-store';
import { Server } from '@tus/server';
import { STATUS } from '../../contract/errors.ts';
import { AppError } from '../../core/errors.ts';
import type { Config } from '../config.ts';
import type { Files } from '../files.ts';
import type { ClipService } from '../services/clips.ts';
import type { MatteService } from '../services/mattes.ts';
import type { PlateService } from '../services/plates.ts';

export const UPLOAD_PATH = '/api/uploads';
/** Bytes that stay free whatever is uploaded. */
const SPARE = 256 << 20;

/**
 * Resumable uploads by the tus protocol 1.0: a killed server or a closed lid goes on where it was. An upload is a clip, or, if
 * its metadata name a `shot`, a matte for that; if they name a `removal` and a `frame` too, a plate for that.
 */
export function uploadServer(
  config: Config,
  files: Files,
  { clips, mattes, plates }: { clips: ClipService; mattes: MatteService; plates: PlateService },
): Server {
  return new Server({
    path: UPLOAD_PATH,
    datastore: new FileStore({ directory: files.incoming }),
    maxSize: config.maxUpload,
    relativeLocation: true,
    respectForwardedHeaders: false,
    async onUploadCreate(_request, upload) {
      const { shot, removal, frame } = upload.metadata ?? {};
      if (shot && removal) await plates.requirePlace(shot, removal, Number(frame ?? NaN));
      else if (shot) await mattes.requireShot(shot);
      const { bavail, bsize } = await statfs(files.incoming);
      const free = bavail * bsize - SPARE;
      if ((upload.size ?? 0) > free) {
        throw refusal(
          507,
          'disk_full',
          `The disk has room for ${Math.max(0, Math.floor(free / 2 ** 20))} MiB more. Make room and try again.`,
        );
      }
      return {};
    },
    async onUploadFinish(_request, upload) {
      const { filename, shot, removal, frame } = upload.metadata ?? {};
      if (shot && removal) await plates.accept(upload.id, filename ?? 'plate', shot, removal, Number(frame));
      else if (shot) await mattes.accept(upload.id, filename ?? 'matte', shot);
      else await clips.accept(upload.id, filename ?? 'clip', upload.size ?? 0);
      return {};
    },
    onResponseError(_request, error) {
      if (error instanceof AppError) return refusal(STATUS[error.code] ?? 400, error.code, error.message);
      return undefined;
    },
  });
}

const refusal = (status_code: number, code: string, message: string): { status_code: number; body: string } => ({
  status_code,
  body: JSON.stringify({ code, message }),
});

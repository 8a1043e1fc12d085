import { reactive } from 'vue';
import { Upload } from 'tus-js-client';

/** One file on its way to the server. */
export interface UploadItem {
  key: number;
  name: string;
  size: number;
  sent: number;
  state: 'sending' | 'waiting' | 'failed';
  /** Why it failed, in a sentence. */
  reason: string;
  /** Where it is shown: a shot for a matte, a removal of one for a plate; a clip belongs to none. */
  place: string;
}

/** A matte names its shot, a plate its removal and frame too; a clip nothing. */
export interface UploadAbout {
  shot?: string;
  removal?: string;
  frame?: string;
}

/** Retries go on for as long as a closed lid or a restarted server takes, ms. */
const RETRIES = [0, 500, 1000, 2000, 3000, 5000, 5000, 5000, 10_000, 10_000, 30_000, 30_000, 60_000];
const CHUNK = 16 * 2 ** 20;

const items = reactive(new Map<number, UploadItem>());
const running = new Map<number, Upload>();
let next = 0;

/** Sends files to the server: several at once, resumed where they were after a break or a reload. */
export function useUploads() {
  /**
   * @param about - What the files are for: a shot's mattes, or a plate for one of its removals.
   * @param place - Where they are shown while they are on their way.
   */
  function add(files: Iterable<File>, about: UploadAbout = {}, place = about.shot ?? ''): void {
    for (const file of files) void start(file, about, place);
  }

  async function start(file: File, about: UploadAbout, place: string): Promise<void> {
    const key = next++;
    items.set(key, { key, name: file.name, size: file.size, sent: 0, state: 'sending', reason: '', place });
    const item = items.get(key)!;
    const upload = new Upload(file, {
      endpoint: '/api/uploads',
      chunkSize: CHUNK,
      retryDelays: RETRIES,
      removeFingerprintOnSuccess: true,
      metadata: { filename: file.name, ...about },
      // A clip and a matte of the same bytes are two uploads.
      fingerprint: (f) =>
        Promise.resolve(['mnestra', ...Object.values(about), f.name, f.size, f.lastModified].join('-')),
      onProgress: (sent) => {
        item.sent = sent;
        item.state = 'sending';
      },
      onShouldRetry: (error) => {
        const status = error.originalResponse?.getStatus() ?? 0;
        item.state = 'waiting';
        return status === 0 || status >= 500 ? status !== 507 : status === 409 || status === 423;
      },
      onError: (error) => {
        item.state = 'failed';
        item.reason = reasonOf(error);
        running.delete(key);
      },
      onSuccess: () => {
        items.delete(key);
        running.delete(key);
      },
    });
    running.set(key, upload);
    const earlier = await upload.findPreviousUploads();
    if (earlier.length > 0) upload.resumeFromPreviousUpload(earlier[0]);
    upload.start();
  }

  /** Stops an upload and takes what was sent off the server. */
  async function cancel(key: number): Promise<void> {
    await running
      .get(key)
      ?.abort(true)
      .catch(() => undefined);
    running.delete(key);
    items.delete(key);
  }

  /** Files on their way to a place, or clips. */
  const itemsFor = (place = ''): UploadItem[] => [...items.values()].filter((item) => item.place === place);

  return { itemsFor, add, cancel };
}

function reasonOf(error: Error & { originalResponse?: { getBody(): string } | null }): string {
  try {
    return (JSON.parse(error.originalResponse?.getBody() ?? '') as { message: string }).message;
  } catch {
    return 'The file could not be sent. Add it again: what has arrived is kept.';
  }
}

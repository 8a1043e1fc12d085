import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, existsSync } from 'node:fs';
import { readFile, stat, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { fileURLToPath } from 'node:url';
import type { ClipView } from '../src/contract/clips.ts';
import type { RemovalNode } from '../src/contract/document.ts';
import type { EditBody, ShotView } from '../src/contract/shots.ts';
import { tellDemo } from '../src/server/services/demo.ts';
import { isRendered, renderShot, shotFiles } from './render.ts';
import { SHOTS } from './shots/index.ts';

// usage: node dist/demo/seed.js ADDRESS DATA_FOLDER
// Renders the demo footage that is missing and adds each clip to the running server as a person would: through the API.
// Some clips come with a shot that is marked, one of them with a draft on its way. What a person has deleted is not
// added again.
const [address, data] = process.argv.slice(2);
const folder = join(data, 'demo');
const marker = join(folder, 'seeded.json');
const MARKS = fileURLToPath(new URL('../../demo/marks/', import.meta.url));
const WITH_DRAFT = 'boardwalk';
const seeded = new Set<string>(JSON.parse(await readFile(marker, 'utf8').catch(() => '[]')) as string[]);

const missing = SHOTS.filter(({ name }) => !seeded.has(name));
for (const [i, shot] of missing.entries()) {
  const { clip } = shotFiles(folder, shot);
  if (!isRendered(folder, shot, false)) {
    process.stdout.write(`rendering the demo shot ${shot.name}\n`);
    const tell = (done: number): void => tellDemo(data, { name: shot.name, done, after: missing.length - 1 - i });
    tell(0);
    await renderShot(shot, folder, false, tell);
  }
  await upload(clip);
  await addMarks(shot.name, basename(clip));
  seeded.add(shot.name);
  await writeFile(marker, JSON.stringify([...seeded]));
  process.stdout.write(`added ${basename(clip)}, sha256 ${(await hashOf(clip)).slice(0, 12)}…\n`);
}

tellDemo(data);

/** One request of the tus protocol's creation-with-upload. */
async function upload(path: string): Promise<void> {
  const { size } = await stat(path);
  const response = await fetch(`${address}/api/uploads`, {
    method: 'POST',
    headers: {
      'tus-resumable': '1.0.0',
      'upload-length': String(size),
      'upload-metadata': `filename ${Buffer.from(basename(path)).toString('base64')}`,
      'content-type': 'application/offset+octet-stream',
    },
    body: await readFile(path),
  });
  if (response.status !== 201) throw new Error(`${path} was not taken: ${response.status} ${await response.text()}`);
}

async function addMarks(name: string, file: string): Promise<void> {
  const path = join(MARKS, `${name}.json`);
  if (!existsSync(path)) return;
  const removal = JSON.parse(await readFile(path, 'utf8')) as RemovalNode;
  const clip = await ready(file);
  const body = { clipId: clip.id, name, first: 0, last: clip.info!.frames - 1 };
  const shot = await ask<ShotView>('POST', '/shots', body);
  const id = randomUUID();
  const patch = [{ op: 'add', path: `/removals/${id}`, value: removal }] satisfies EditBody['patch'];
  const edit: EditBody = { editId: randomUUID(), base: 0, label: `Mark “${removal.name}”`, patch };
  await ask('POST', `/shots/${shot.id}/edits`, edit);
  if (name === WITH_DRAFT) await ask('POST', `/shots/${shot.id}/takes`, { removalId: id, draft: true });
}

async function ready(file: string): Promise<ClipView> {
  for (;;) {
    const clip = (await ask<ClipView[]>('GET', '/clips')).find((c) => c.name === file);
    if (clip?.state === 'ready') return clip;
    if (clip?.state === 'failed') throw new Error(`${file}: ${clip.error?.message}`);
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
}

async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await fetch(`${address}/api${path}`, {
    method,
    headers: { 'content-type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${await response.text()}`);
  return (await response.json()) as T;
}

async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
}

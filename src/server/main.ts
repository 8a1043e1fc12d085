import { fileURLToPath } from 'node:url';
import type { ServerEvent } from '../contract/events.ts';
import { readConfig } from './config.ts';
import { EventHub } from './events/eventHub.ts';
import { Files } from './files.ts';
import { createApp } from './http/app.ts';
import { uploadServer } from './http/uploads.ts';
import { clipRoutes } from './http/clipRoutes.ts';
import { demoRoutes } from './http/demoRoutes.ts';
import { shotRoutes } from './http/shotRoutes.ts';
import { exportRoutes, revealRoutes, takeRoutes } from './http/takeRoutes.ts';
import { matteRoutes } from './http/matteRoutes.ts';
import { donorRoutes } from './http/donorRoutes.ts';
import { plateRoutes } from './http/plateRoutes.ts';
import { moverRoutes } from './http/moverRoutes.ts';
import { outlineRoutes } from './http/outlineRoutes.ts';
import { trackRoutes } from './http/trackRoutes.ts';
import { jobs, openQueue } from './jobs/queue.ts';
import { ClipService } from './services/clips.ts';
import { ExportService } from './services/exports.ts';
import { FrameStores } from './services/frameStores.ts';
import { MatteService } from './services/mattes.ts';
import { MoverService } from './services/movers.ts';
import { DonorService } from './services/donors.ts';
import { OutlineService } from './services/outlines.ts';
import { PictureService } from './services/pictures.ts';
import { PlateService } from './services/plates.ts';
import { PointThread } from './services/pointThread.ts';
import { RevealService } from './services/reveals.ts';
import { ShotService } from './services/shots.ts';
import { TrackService } from './services/tracks.ts';
import { TakeService } from './services/takes.ts';
import { migrate, openDatabase } from './store/database.ts';

const PAGE = fileURLToPath(new URL('../../web/', import.meta.url));

const KEEP_ALIVE_MS = 75_000;

const config = readConfig();
const files = new Files(config.data);
await files.prepare();
const database = openDatabase(config.databaseUrl);
await migrate(database);
const queue = await openQueue(config.databaseUrl);
const events = new EventHub(config.databaseUrl);
await events.start();
const put = jobs(queue);
const clips = new ClipService(files, {
  changed: (id) => events.tell({ kind: 'clip', id }),
  importClip: put.importClip,
});
const tell = (event: ServerEvent): Promise<void> => events.tell(event);
const stores = new FrameStores(files.stores, config.storeBudget);
const pictures = new PictureService(files, stores);
const mattes = new MatteService(files, { tell, queue: put.matte });
const plates = new PlateService(files, { tell, queue: put.plate });
const tracks = new TrackService(files, { tell, queue: put.follow });
const endpoints = [
  ...clipRoutes(clips, pictures),
  ...demoRoutes(config.data),
  ...shotRoutes(new ShotService(database, tell)),
  ...takeRoutes(new TakeService(database, { tell, queue: put.take, queuePreview: put.preview }), pictures),
  ...revealRoutes(new RevealService(files, put.reveal)),
  ...trackRoutes(tracks),
  ...outlineRoutes(new OutlineService(files, stores, pictures, new PointThread()), tracks),
  ...matteRoutes(mattes),
  ...plateRoutes(plates),
  ...donorRoutes(new DonorService(files, pictures)),
  ...moverRoutes(new MoverService(files, { tell, queue: put.search })),
  ...exportRoutes(new ExportService(files, { tell, queue: put.export })),
];
const app = createApp({
  endpoints,
  events,
  uploads: uploadServer(config, files, { clips, mattes, plates }),
  page: PAGE,
});
const server = app.listen(config.port, '127.0.0.1', (error?: Error) => {
  if (error) {
    process.stderr.write(
      `mnestra: port ${config.port} cannot be used (${error.message}). Set MNESTRA_PORT to another.\n`,
    );
    process.exit(1);
  }
  process.send?.('ready');
});

// Longer than a page or a script pauses between two requests: one on a connection that just closes would fail.
server.keepAliveTimeout = KEEP_ALIVE_MS;

let stopping = false;
async function stop(): Promise<void> {
  if (stopping) return;
  stopping = true;
  await events.stop();
  server.closeAllConnections();
  server.close();
  await queue.release();
  await database.close();
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());

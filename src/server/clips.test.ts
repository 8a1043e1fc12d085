import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import type { ClipView } from '../contract/clips.ts';
import type { DemoState } from '../contract/demo.ts';
import { tellDemo } from './services/demo.ts';
import { Harness, sleep, TUS } from './testing/harness.ts';

const house = new Harness(7573);
const HOST = house.host;
const at = (name: string): string => house.at(name);
const film = (name: string, seconds: number, seed: number): Buffer =>
  house.film(name, `testsrc2=s=320x180:r=25:d=${seconds},hue=h=${seed}`);
const list = (): Promise<ClipView[]> => house.clips();

beforeAll(() => house.begin());
afterAll(() => house.end());

describe('a clip', () => {
  it('is kept unchanged under its hash, with proxy and filmstrip', async () => {
    const data = film('one.mp4', 1, 10);
    await house.upload('../../etc/one.mp4', data);
    const clip = await house.settled('one.mp4');
    expect(clip).toMatchObject({ state: 'ready', size: data.length, info: { width: 320, frames: 25 } });
    const hash = createHash('sha256').update(data).digest('hex');
    expect(readFileSync(at(`data/clips/${hash}.mp4`)).equals(data)).toBe(true);
    const proxy = await fetch(`${HOST}/api/clips/${clip.id}/proxy`);
    expect([proxy.status, proxy.headers.get('content-type')]).toEqual([200, 'video/mp4']);
    expect((await fetch(`${HOST}/api/clips/${clip.id}/strip`)).headers.get('content-type')).toBe('image/jpeg');
    expect(readdirSync(at('data/incoming'))).toEqual([]);
  });

  it('that is damaged in its middle leaves nothing but the reason', async () => {
    const data = film('bad.mp4', 1, 20);
    data.fill(7, Math.floor(data.length * 0.05), Math.floor(data.length * 0.9));
    const before = readdirSync(at('data/clips')).length;
    await house.upload('bad.mp4', data);
    const clip = await house.settled('bad.mp4');
    expect(clip.state).toBe('failed');
    expect(clip.error!.message).toMatch(/Copy it again|Choose another|Try again/);
    expect(readdirSync(at('data/clips'))).toHaveLength(before);
    expect(readdirSync(at('data/incoming'))).toEqual([]);
  });

  it('is deleted and restored; twice restored is not found', async () => {
    const { id } = (await list()).find((c) => c.name === 'one.mp4')!;
    const call = (method: string, path = ''): Promise<Response> => fetch(`${HOST}/api/clips/${id}${path}`, { method });
    expect((await call('DELETE')).status).toBe(204);
    expect((await call('GET')).status).toBe(404);
    expect((await call('POST', '/restore')).status).toBe(200);
    expect((await call('POST', '/restore')).status).toBe(404);
    expect((await call('GET')).status).toBe(200);
  });
});

describe('the demo footage', () => {
  const asked = async () => (await house.call<DemoState>('GET', '/demo')).body.coming;

  it('is told of while it is made, and only then', async () => {
    expect(await asked()).toBeNull();
    tellDemo(at('data'), { name: 'mill-door', done: 0.25, after: 2 });
    expect(await asked()).toEqual({ name: 'mill-door', done: 0.25, after: 2 });
    tellDemo(at('data'));
    expect(await asked()).toBeNull();
    tellDemo(at('data'));
    writeFileSync(at('data/demo/coming.json'), '{"name": "mill');
    expect(await asked()).toBeNull();
  });
});

describe('faults', () => {
  it('a server killed in mid-upload goes on where it was', async () => {
    const data = film('cut.mp4', 2, 30);
    const half = Math.floor(data.length / 2);
    const url = await house.createUpload('cut.mp4', data.length);
    expect((await house.send(url, 0, data.subarray(0, half))).status).toBe(204);
    await house.kill(house.server);
    await house.startServer();
    const head = await fetch(url, { method: 'HEAD', headers: TUS });
    expect(head.headers.get('upload-offset')).toBe(String(half));
    expect((await house.send(url, half, data.subarray(half))).status).toBe(204);
    expect((await house.settled('cut.mp4')).info!.frames).toBe(50);
  });

  it('a worker killed in mid-import is replaced, and the import ends well', async () => {
    await house.upload('long.mp4', film('long.mp4', 30, 40));
    for (let i = 0; i < 200; i++) {
      const clip = (await list()).find((c) => c.name === 'long.mp4');
      if (clip?.stage === 'proxy') break;
      await sleep(50);
    }
    await house.kill(house.worker);
    await house.startWorker();
    expect(await house.settled('long.mp4')).toMatchObject({ state: 'ready', info: { frames: 750 } });
    expect(readdirSync(at('data/proxies')).filter((f) => f.includes('part'))).toEqual([]);
  });

  it('a database that is away while a clip is read loses nothing of it', async () => {
    await house.upload('away.mp4', film('away.mp4', 20, 50));
    await house.until(
      async () => (await list()).find((c) => c.name === 'away.mp4' && c.stage === 'proxy'),
      'it to be on its way',
    );
    house.cluster.stop();
    // Long enough for the work to be done, and not to be written down.
    await house.until(
      async () => (readdirSync(at('data/proxies')).some((f) => f.includes('part')) ? undefined : true),
      'the proxy to be written',
    );
    await sleep(2000);
    house.cluster.start();
    const settled = await house.until(async () => {
      // What the host does.
      if (house.worker.exitCode !== null) await house.startWorker();
      return (await list()).find((c) => c.name === 'away.mp4' && c.state !== 'importing');
    }, 'it to be read');
    expect(settled.state).toBe('ready');
  });
});

describe('the door', () => {
  const code = async (response: Response): Promise<[number, string]> => [
    response.status,
    ((await response.json()) as { code: string }).code,
  ];
  const nobody = '00000000-0000-4000-8000-000000000000';

  it.each([
    ['GET', '/api/clips/not-an-id', 400, 'bad_request'],
    ['GET', `/api/clips/${nobody}`, 404, 'not_found'],
    ['GET', `/api/clips/${nobody}/proxy`, 404, 'not_found'],
    ['DELETE', `/api/clips/${nobody}`, 404, 'not_found'],
    ['POST', `/api/clips/${nobody}/restore`, 404, 'not_found'],
    ['GET', '/api/clips/..%2f..%2fetc%2fpasswd', 400, 'bad_request'],
    ['GET', '/api/nothing', 404, 'not_found'],
    ['POST', '/api/clips', 404, 'not_found'],
  ])('%s %s: %i %s', async (method, path, status, expected) => {
    expect(await code(await fetch(`${HOST}${path}`, { method }))).toEqual([status, expected]);
  });

  it.each([
    ['{'],
    ['{"name": 7}'],
    ['{"name": ""}'],
    [`{"name": "${'x'.repeat(300)}"}`],
    ['[]'],
    ['{"name":"a","state":"ready"}'],
  ])('refuses %.20s as a new name', async (body) => {
    const { id } = (await list())[0];
    const response = await fetch(`${HOST}/api/clips/${id}`, {
      method: 'PATCH',
      body,
      headers: { 'content-type': 'application/json' },
    });
    expect(await code(response)).toEqual([400, 'bad_request']);
  });

  it('refuses other origins, and sends a strict policy', async () => {
    expect(await code(await fetch(`${HOST}/api/clips`, { headers: { origin: 'http://elsewhere.example' } }))).toEqual([
      403,
      'bad_origin',
    ]);
    const headers = (await fetch(`${HOST}/api/health`)).headers;
    expect(headers.get('content-security-policy')).toContain("default-src 'none'");
    expect(headers.get('cross-origin-embedder-policy')).toBe('require-corp');
  });

  it('does not give a path outside the uploads', async () => {
    writeFileSync(at('data/secret'), 'x');
    const response = await fetch(`${HOST}/api/uploads/..%2Fsecret`, { method: 'HEAD', headers: TUS });
    expect(response.status).toBeGreaterThanOrEqual(400);
    expect(response.status).toBeLessThan(500);
    await fetch(`${HOST}/api/uploads/..%2Fsecret`, { method: 'DELETE', headers: TUS });
    expect(existsSync(at('data/secret'))).toBe(true);
  });
});

import { describe, expect, it } from '@jest/globals';
import { measureProcess } from './measureProcess.ts';

const node = (code: string) => measureProcess(process.execPath, ['-e', code]);

describe('what a command used', () => {
  it('counts its own time and that of what it started', async () => {
    const busy = 'const end = process.cpuUsage().user + 400_000; while (process.cpuUsage().user < end);';
    const alone = await node(busy);
    expect(alone.cpuSeconds).toBeGreaterThan(0.35);
    expect(alone.wallSeconds).toBeGreaterThan(0.35);
    const parent = `require('child_process').spawnSync(process.execPath, ['-e', ${JSON.stringify(busy)}])`;
    expect((await node(parent)).cpuSeconds).toBeGreaterThan(0.35);
  });

  it('counts waiting as no work', async () => {
    const { cpuSeconds, wallSeconds } = await node('setTimeout(() => {}, 1500)');
    expect(wallSeconds).toBeGreaterThan(1.4);
    expect(cpuSeconds).toBeLessThan(wallSeconds);
  });

  it('sees the memory of the whole family at its largest', async () => {
    const fat = 'const held = Buffer.alloc(200 << 20, 1); setTimeout(() => held.length, 500);';
    const parent = `require('child_process').spawnSync(process.execPath, ['-e', ${JSON.stringify(fat)}])`;
    expect((await node(fat)).peakMiB).toBeGreaterThan(200);
    expect((await node(parent)).peakMiB).toBeGreaterThan(200);
  });

  it('fails with what the command said if it fails', async () => {
    await expect(node('console.error("no such frame"); process.exit(3)')).rejects.toThrow(
      /ended with 3: no such frame/,
    );
    await expect(measureProcess('/nowhere/command', [])).rejects.toThrow(/ENOENT/);
  });

  it('tells how much two threads would be worth', async () => {
    const work = 'let n = 0; const end = Date.now() + 900; while (Date.now() < end) n++;';
    const two = `const { Worker } = require('worker_threads'); for (let i = 0; i < 2; i++) new Worker(${JSON.stringify(work)}, { eval: true });`;
    const one = `const { Worker } = require('worker_threads'); new Worker(${JSON.stringify(work)}, { eval: true });`;
    expect((await node(two)).threadsWorth).toBeGreaterThan(1.3);
    expect((await node(one)).threadsWorth).toBeLessThan(1.3);
  });
});

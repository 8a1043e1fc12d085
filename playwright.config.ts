import { defineConfig } from '@playwright/test';

const PORT = 7473;

/** Settings of the server under test. */
export const serverEnvironment = {
  MNESTRA_DATA: process.env.MNESTRA_E2E_DATA ?? 'data/e2e',
  MNESTRA_PORT: String(PORT),
  MNESTRA_DATABASE_PORT: '7474',
  MNESTRA_DEMO: 'off',
};

export default defineConfig({
  testDir: 'e2e',
  timeout: 180_000,
  // A disk that others keep busy held a page up for ten seconds and more: what never comes is told by the test's own limit.
  expect: { timeout: 30_000 },
  workers: 1,
  reporter: [['list'], ['json', { outputFile: 'test-results/e2e.json' }]],
  use: {
    baseURL: `http://127.0.0.1:${PORT}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
  webServer: {
    command: 'node dist/src/server/host/main.js',
    url: `http://127.0.0.1:${PORT}/api/health`,
    timeout: 180_000,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 15_000 },
    stdout: 'pipe',
    env: serverEnvironment,
  },
});

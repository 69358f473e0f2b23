import { defineConfig } from '@playwright/test'

const port = process.env.BUGLE_WEB_PORT ?? '4396'

/** The real pages, built for production, in Debian's Chromium. scripts/test.mjs gives the database and the ports. */
export default defineConfig({
  testDir: 'e2e',
  fullyParallel: false,
  workers: 1,
  retries: 0,
  timeout: 180_000,
  // As in the other tests, what happens counts, not how fast on a busy machine.
  expect: { timeout: 30_000 },
  reporter: [['list'], ['json']],
  outputDir: 'test-results',
  globalSetup: './e2e/global-setup.ts',
  use: {
    baseURL: `http://localhost:${port}`,
    viewport: { width: 1280, height: 800 },
    // Recording takes a fifth of the time. BUGLE_E2E_TRACE=1 records, for whoever looks for the cause of a failure.
    trace: process.env.BUGLE_E2E_TRACE ? 'retain-on-failure' : 'off',
    // There is no graphics card: all that moves is painted by the processors that the server needs, too.
    contextOptions: { reducedMotion: 'reduce' },
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
        '--disable-dev-shm-usage',
      ],
    },
  },
})

import { defineConfig } from '@playwright/test';
import { browserOptions } from './scripts/browser.mjs';

/**
 * Their tests go one after the other and wait a good deal: begun first, they leave no worker without work at the end.
 */
const LONG = /\/(shop|servers|serverImages)\.spec\.ts$/;

export default defineConfig({
  projects: [
    { name: 'long', testMatch: LONG },
    { name: 'short', testIgnore: LONG },
  ],
  testDir: 'e2e',
  globalSetup: './e2e/images.mjs',
  outputDir: '.local/test-results',
  // As long as a machine may take that does three other things: what is missing after that does not come.
  timeout: 300_000,
  expect: { timeout: 60_000 },
  workers: 2,
  // A machine that stalls for a moment is no defect; what fails twice is, and what passed at last is named as flaky.
  retries: 1,
  forbidOnly: true,
  use: {
    baseURL: process.env['BASE_URL'] ?? 'http://127.0.0.1:8420',
    viewport: { width: 1280, height: 800 },
    trace: 'off',
    // What tests answer in the server's place must reach the page; e2e/shop.spec.ts is about the service worker.
    serviceWorkers: 'block',
    // What changes its colours or moves is looked at when it has changed.
    contextOptions: { reducedMotion: 'reduce' },
    launchOptions: browserOptions,
  },
});

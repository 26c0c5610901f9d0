import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [tailwindcss(), sveltekit()],
  worker: { format: 'es' },
  test: {
    environment: 'node',
    // Integration tests share one real database, so files run one after the other in their project.
    projects: [
      {
        extends: true,
        test: {
          name: 'unit',
          include: ['src/lib/core/**/*.test.ts', 'src/lib/ui/**/*.test.ts'],
          exclude: ['**/*.integration.test.ts'],
          testTimeout: 60_000,
        },
      },
      {
        extends: true,
        test: {
          name: 'integration',
          include: ['src/**/*.integration.test.ts', 'src/lib/server/**/*.test.ts'],
          fileParallelism: false,
          testTimeout: 60_000,
          hookTimeout: 60_000,
        },
      },
      {
        // Against a server that runs (SERVER_URL, DATABASE_URL); scripts/check.mjs starts one.
        test: {
          name: 'hostile',
          fileParallelism: false,
          include: ['hostile/**/*.test.ts'],
          testTimeout: 240_000,
          hookTimeout: 60_000,
        },
      },
    ],
  },
});

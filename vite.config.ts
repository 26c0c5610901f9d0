import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';
import { BaseSequencer, type TestSpecification } from 'vitest/node';

// The development server and tests hold every answer against the contract.
process.env['GENTLE_TIDE_CHECK_ANSWERS'] ??= 'on';

/** Tests of the server that need no database. */
const WITHOUT_DATABASE = ['src/lib/server/{executor,work/rehearsals}/**/!(*.integration).test.ts'];

/** Files that take longest, the longest first: one that comes last would keep one core waiting for the other. */
const SLOWEST = [
  'backup.integration',
  'journals',
  'rehearsals.integration',
  'runs.integration',
  'images.integration',
  'standIn.integration',
  'shrink.integration',
  'demoRoutes',
  'migrate.integration',
  'people.integration',
  'systemCuts',
];
/** Files of one project follow each other, since its workers are used again; those of the last are the shortest. */
const PROJECTS = ['bytes', 'integration', 'unit'];

class SlowestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const place = ({ moduleId, project }: TestSpecification): number => {
      const found = SLOWEST.findIndex((name) => moduleId.includes(`/${name}.`));
      return PROJECTS.indexOf(project.name) * 100 + (found < 0 ? SLOWEST.length : found);
    };
    return (await super.sort(files)).sort((a, b) => place(a) - place(b));
  }
}

export default defineConfig({
  plugins: [tailwindcss(), sveltekit()],
  worker: { format: 'es' },
  test: {
    environment: 'node',
    sequence: { sequencer: SlowestFirst },
    // Half of a machine with two cores is too little. Each worker has a database of its own (ownDatabase.ts).
    maxWorkers: 2,
    // Tests put back what they set in what they import, so projects load it once, not anew for every file.
    isolate: false,
    projects: [
      {
        extends: true,
        test: {
          name: 'unit',
          include: ['src/lib/core/**/*.test.ts', 'src/lib/ui/**/*.test.ts', 'src/lib/contract/**/*.test.ts'],
          exclude: ['**/*.integration.test.ts'],
          testTimeout: 60_000,
        },
      },
      {
        // Bytes that independent programs make and read; nothing is shared.
        extends: true,
        test: {
          name: 'bytes',
          include: ['src/lib/core/**/*.integration.test.ts', ...WITHOUT_DATABASE],
          testTimeout: 120_000,
          hookTimeout: 60_000,
        },
      },
      {
        extends: true,
        test: {
          name: 'integration',
          include: ['src/lib/server/**/*.test.ts'],
          exclude: WITHOUT_DATABASE,
          setupFiles: 'scripts/test/ownDatabase.ts',
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

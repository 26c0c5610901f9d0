/** One direction: routes → ui, workers, server → core (docs/architecture.md). */
module.exports = {
  forbidden: [
    {
      name: 'core-is-pure',
      comment:
        'The core runs in a browser, a worker and a server alike: no Svelte, Node, DOM or database in it.',
      severity: 'error',
      from: { path: '^src/lib/core', pathNot: ['\\.test\\.ts$', '/test/'] },
      to: {
        pathNot: [
          '^src/lib/core',
          '^node_modules/(crc-32|d3-scale|fflate|@types/d3-scale|@types/papaparse|papaparse|typebox)',
        ],
      },
    },
    {
      name: 'ui-knows-only-core',
      severity: 'error',
      from: { path: '^src/lib/ui' },
      to: { path: '^src/(lib/server|routes|lib/workers)' },
    },
    {
      name: 'workers-know-only-core',
      severity: 'error',
      from: { path: '^src/lib/workers' },
      to: { path: '^src/(lib/server|routes|lib/ui)' },
    },
    {
      name: 'server-knows-only-core',
      severity: 'error',
      from: { path: '^src/lib/server' },
      to: { path: '^src/(lib/ui|routes|lib/workers)' },
    },
    {
      name: 'tests-stay-tests',
      severity: 'error',
      from: { path: '^src', pathNot: ['\\.test\\.ts$', '/test/'] },
      to: { path: ['/test/', '\\.test\\.ts$'] },
    },
    {
      name: 'no-circles',
      comment: 'Of values: types may name each other, as a verb and the union of all verbs do.',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
    {
      name: 'no-orphans',
      severity: 'error',
      from: { orphan: true, path: '^src/lib', pathNot: ['\\.test\\.ts$', '\\.d\\.ts$'] },
      to: {},
    },
    {
      name: 'resolvable',
      severity: 'error',
      from: {},
      to: {
        couldNotResolve: true,
        pathNot: ['^\\$(app|env)/', '^\\$service-worker$', '\\$types$', '\\?worker$', '^pdfmake/interfaces$'],
      },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    webpackConfig: { fileName: '.dependency-cruiser.resolve.cjs' },
  },
};

/** One direction: routes → ui, workers, server → contract → core (docs/architecture.md). */

/** The rooms of the server, the lowest floor first: a room knows those below it. */
const FLOORS = [
  ['platform'],
  ['store', 'executor', 'paper', 'collector'],
  ['people'],
  ['work'],
  ['web', 'demo'],
];

const TESTS = ['\\.test\\.ts$', '/test/'];
const room = (names) => `^src/lib/server/(${names.join('|')})/`;

/** One rule a room: it imports nothing of the rooms beside it and above it, not even a type. */
const FLOOR_RULES = FLOORS.flatMap((floor, i) =>
  floor.map((name) => ({
    name: `floor-of-${name}`,
    severity: 'error',
    from: { path: room([name]), pathNot: TESTS },
    to: {
      path: '^src/lib/server/',
      pathNot: [room([name]), ...FLOORS.slice(0, i).map(room)],
    },
  })),
);

module.exports = {
  forbidden: [
    {
      name: 'core-is-pure',
      comment:
        'The core runs in a browser, a worker and a server alike: no Svelte, Node, DOM or database in it.',
      severity: 'error',
      from: { path: '^src/lib/core', pathNot: TESTS },
      to: {
        pathNot: [
          '^src/lib/core',
          '^node_modules/(crc-32|d3-scale|fflate|@types/d3-scale|@types/papaparse|papaparse|typebox)',
        ],
      },
    },
    {
      name: 'contract-knows-only-core',
      severity: 'error',
      from: { path: '^src/lib/contract', pathNot: TESTS },
      to: { pathNot: ['^src/lib/(contract|core)', '^node_modules/typebox'] },
    },
    {
      name: 'ui-knows-only-contract-and-core',
      severity: 'error',
      from: { path: '^src/lib/ui' },
      to: { path: '^src/(lib/server|routes|lib/workers)' },
    },
    {
      name: 'bundles-hold-no-shapes',
      comment:
        'Of the contract pages know types, the client, and words: shapes would make every bundle larger.',
      severity: 'error',
      from: { path: '^src/(lib/(ui|workers)|routes/.*\\.svelte$)', pathNot: TESTS },
      to: {
        path: '^src/lib/contract',
        pathNot: '^src/lib/contract/(client|rehearsalStates|roles)\\.ts$',
        dependencyTypesNot: ['type-only'],
      },
    },
    {
      name: 'workers-know-only-contract-and-core',
      severity: 'error',
      from: { path: '^src/lib/workers' },
      to: { path: '^src/(lib/server|routes|lib/ui)' },
    },
    {
      name: 'server-knows-only-contract-and-core',
      severity: 'error',
      from: { path: '^src/lib/server' },
      to: { path: '^src/(lib/ui|routes|lib/workers)' },
    },
    ...FLOOR_RULES,
    {
      name: 'tests-stay-tests',
      severity: 'error',
      from: { path: '^src', pathNot: TESTS },
      to: { path: TESTS },
    },
    {
      name: 'no-circles',
      comment: 'Of values: types may name each other, as a verb and the union of all verbs do.',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
    {
      name: 'no-circles-of-types',
      severity: 'error',
      from: { path: '^src/lib/(server|contract)', pathNot: TESTS },
      to: { circular: true },
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

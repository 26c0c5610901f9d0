// Where the aliases of svelte.config.js lead, in the form that dependency-cruiser reads.
const { resolve } = require('node:path');

module.exports = {
  resolve: {
    alias: {
      $contract: resolve('src/lib/contract'),
      $core: resolve('src/lib/core'),
      $ui: resolve('src/lib/ui'),
      $lib: resolve('src/lib'),
    },
    extensions: ['.ts', '.js', '.mjs', '.svelte', '.json'],
    exportsFields: ['exports'],
    conditionNames: ['svelte', 'import', 'types', 'node', 'default'],
  },
};

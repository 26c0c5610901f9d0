import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';

export default ts.config(
  { ignores: ['node_modules/', '.svelte-kit/', 'build/', '.local/', 'test-results/', 'playwright-report/'] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...svelte.configs.recommended,
  { languageOptions: { globals: { ...globals.browser, ...globals.node } } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: {
      // Not the whole svelte.config.js: its functions can't be kept in a cache.
      parserOptions: {
        parser: ts.parser,
        extraFileExtensions: ['.svelte'],
        svelteConfig: { compilerOptions: { runes: true } },
      },
    },
  },
  {
    // What dependency-cruiser does not see: a component's type imports are gone once it is compiled.
    files: ['src/lib/ui/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              regex: '(^\\$lib|/)(server|workers|routes)(/|$)',
              message: 'One direction: routes → ui, workers, server → core.',
            },
          ],
        },
      ],
    },
  },
  { files: ['**/*.cjs'], rules: { '@typescript-eslint/no-require-imports': 'off' } },
  {
    rules: {
      'no-undef': 'off', // TypeScript knows better
      // Prettier wraps code, and leaves comments as they are. A type in a comment stays whole.
      'max-len': ['error', { code: 1000, comments: 120, ignoreUrls: true, ignorePattern: '@\\w+ \\{' }],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      '@typescript-eslint/no-non-null-assertion': 'off', // noUncheckedIndexedAccess makes them statements of fact
      '@typescript-eslint/consistent-type-imports': 'error',
      // An import of inline types alone stays as an import of everything that the module does.
      '@typescript-eslint/no-import-type-side-effects': 'error',
      'no-restricted-syntax': [
        'error',
        {
          selector:
            "SwitchStatement[discriminant.property.name='verb'] > SwitchCase[test=null], SwitchStatement[discriminant.name='verb'] > SwitchCase[test=null]",
          message:
            'No default over verbs: ask the verb’s module (core/steps), so that a new verb is not missed.',
        },
      ],
      'svelte/no-navigation-without-resolve': 'off', // the application is always served from the root
    },
  },
);

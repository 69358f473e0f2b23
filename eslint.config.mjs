import next from 'eslint-config-next'
import tseslint from 'typescript-eslint'

export default [
  {
    ignores: [
      '.next/**',
      'dist/**',
      '.bugle/**',
      'next-env.d.ts',
      'test-results/**',
      'playwright-report/**',
      '.stryker/**',
    ],
  },
  ...next,
  ...tseslint.configs.recommended.map((c) => ({ ...c, files: ['**/*.ts', '**/*.tsx'] })),
  {
    rules: {
      'no-console': 'error',
      'no-restricted-imports': [
        'error',
        {
          paths: [{ name: 'next/link', message: 'Links are ui/parts/link: pages are fetched ahead only when wanted.' }],
        },
      ],
      eqeqeq: ['error', 'always'],
      'react-hooks/set-state-in-effect': 'off',
      '@next/next/no-html-link-for-pages': 'off',
      // Signing in and out loads the page anew on purpose: nothing of the session before stays in memory.
      '@next/next/no-location-assign-relative-destination': 'off',
      'import/no-anonymous-default-export': 'off',
      // The virtualizer keeps its own state; the compiler's note about it asks for nothing.
      'react-hooks/incompatible-library': 'off',
    },
  },
  {
    files: ['**/*.ts', '**/*.tsx'],
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    },
  },
  {
    files: ['src/core/**/*.ts'],
    ignores: ['**/*.test.ts', '**/*.bench.ts'],
    rules: {
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'The clock is passed in.' },
        { object: 'Math', property: 'random', message: 'Randomness is passed in.' },
      ],
      'no-restricted-globals': ['error', 'process', 'setTimeout', 'setInterval', 'fetch'],
    },
  },
  {
    files: [
      'src/bench/**',
      'src/act/**',
      'src/cli/**',
      'src/web/main.ts',
      'src/agent/main.ts',
      'src/agent/commands.ts',
      'scripts/**',
      '**/*.bench.ts',
      'src/standins/main.ts',
    ],
    rules: { 'no-console': 'off' },
  },
  // ui/parts/link is what it is made of.
  { files: ['src/ui/parts/link.tsx', '**/*.test.tsx'], rules: { 'no-restricted-imports': 'off' } },
]

import next from 'eslint-config-next'
import tseslint from 'typescript-eslint'

/** Which folders of src each folder may import from (docs/architecture.md). Itself is always allowed. */
const mayImport = {
  core: [],
  store: ['core'],
  act: ['core'],
  service: ['store', 'core', 'act', 'agent/protocol'],
  engine: [
    'service',
    'store/listen',
    'store/config',
    'store/outage',
    'store/ready',
    'store/db',
    'store/limits',
    'core',
    'agent/protocol',
  ],
  web: ['core', 'store/config', 'store/ready'],
  cli: ['service', 'core', 'demo', 'store/db', 'store/migrate', 'store/ready'],
  agent: ['core', 'act'],
  standins: ['agent', 'core', 'demo'],
  demo: ['service', 'store', 'core'],
  ui: ['core'],
  app: ['ui', 'service', 'core', 'store/config', 'store/limits', 'store/listen', 'store/outage', 'agent/protocol'],
}
const folders = Object.keys(mayImport)

const directions = folders.map((folder) => ({
  files: [`src/${folder}/**/*.{ts,tsx}`],
  ignores: ['**/*.test.ts', '**/*.test.tsx', '**/*.test-help.ts', '**/*.bench.ts'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        paths: [{ name: 'next/link', message: 'Links are ui/parts/link: pages are fetched ahead only when wanted.' }],
        patterns: folders
          .filter((other) => other !== folder && !mayImport[folder].includes(other))
          .map((other) => ({
            group: [
              `@/${other}/**`,
              ...mayImport[folder].filter((m) => m.startsWith(`${other}/`)).map((m) => `!@/${m}`),
            ],
            message: `${folder} may import only from: ${mayImport[folder].join(', ') || 'itself'}.`,
          })),
      },
    ],
  },
}))

export default [
  { ignores: ['.next/**', 'dist/**', '.bugle/**', 'next-env.d.ts', 'test-results/**', 'playwright-report/**'] },
  ...next,
  ...tseslint.configs.recommended.map((c) => ({ ...c, files: ['**/*.ts', '**/*.tsx'] })),
  {
    rules: {
      'no-console': 'error',
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
  ...directions,
]

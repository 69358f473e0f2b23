const transform = {
  '^.+\\.(t|j|mj)sx?$': [
    '@swc/jest',
    {
      jsc: {
        parser: { syntax: 'typescript', tsx: true },
        transform: { react: { runtime: 'automatic' }, useDefineForClassFields: true },
        target: 'es2022',
      },
    },
  ],
}
const shared = {
  // Not in the temporary folder: a run of the tests has one of its own.
  cacheDirectory: '<rootDir>/node_modules/.cache/jest',
  transform,
  moduleNameMapper: { '^@/(.*)$': '<rootDir>/src/$1' },
  transformIgnorePatterns: [
    '/node_modules/(?!(jose|openid-client|oauth4webapi|@otplib|otplib|@scure|@noble|@seriousme|temporal-polyfill|temporal-utils|@tanstack/(react-table|table-core|react-store|store))/)',
  ],
  testPathIgnorePatterns: ['/node_modules/', '/.next/', '/dist/', '/e2e/', '<rootDir>/.stryker/'],
  modulePathIgnorePatterns: ['<rootDir>/.next/', '<rootDir>/dist/', '<rootDir>/.bugle/', '<rootDir>/.stryker/'],
}

// A test says what happens, not how fast: on a machine with two busy cores a screen in jsdom or a look at the database can take seconds.
const testTimeout = 120_000

/** core: no I/O. ui: jsdom. db: against the test cluster of scripts/test.mjs. system: real processes, killed and started again. */
export default {
  testTimeout,
  projects: [
    {
      ...shared,
      displayName: 'core',
      testEnvironment: 'node',
      testMatch: [
        '<rootDir>/src/{core,act,agent,cli,demo,standins,web}/**/*.test.ts',
        '<rootDir>/scripts/**/*.test.ts',
      ],
    },
    {
      ...shared,
      displayName: 'ui',
      moduleNameMapper: {
        ...shared.moduleNameMapper,
        '^next/navigation$': '<rootDir>/src/ui/navigation.test-help.ts',
      },
      testEnvironment: 'jsdom',
      setupFilesAfterEnv: ['<rootDir>/src/ui/jsdom.test-help.ts'],
      testMatch: ['<rootDir>/src/ui/**/*.test.{ts,tsx}', '<rootDir>/src/app/**/*.test.tsx'],
    },
    {
      ...shared,
      displayName: 'db',
      testEnvironment: 'node',
      testMatch: ['<rootDir>/src/{store,service,engine,app}/**/*.test.ts'],
    },
    { ...shared, displayName: 'system', testEnvironment: 'node', testMatch: ['<rootDir>/src/system/**/*.test.ts'] },
  ],
}

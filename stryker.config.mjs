// Mutants of a part of src, killed by the tests that import it or nothing: `npm run mutants -- PART`. On demand, never in CI: each mutant is a run of tests.
const part = process.env.BUGLE_MUTANTS ?? 'core/run'

export default {
  mutate: [`src/${part}/**/*.ts`, `!src/**/*.test.ts`, `!src/**/*.test-help.ts`],
  testRunner: 'jest',
  jest: { projectType: 'custom', configFile: 'stryker.jest.config.mjs', enableFindRelatedTests: true },
  coverageAnalysis: 'perTest',
  // What is worked out once when a file is read is in every test: these few would take longer than all others.
  ignoreStatic: true,
  concurrency: 2,
  timeoutMS: 20_000,
  reporters: ['clear-text', 'json'],
  jsonReporter: { fileName: `coverage/mutants/${part.replaceAll('/', '-')}.json` },
  clearTextReporter: { allowColor: false, logTests: false },
  tempDirName: '.stryker',
  ignorePatterns: ['.bugle', '.next', 'dist', 'coverage', 'package', 'test-results', 'docs', 'e2e', 'public'],
  disableTypeChecks: false,
}

// The project of jest.config.mjs that tests the part, with the environment that tells Stryker which test reaches which mutant.
import all from './jest.config.mjs'

const part = process.env.BUGLE_MUTANTS ?? 'core/run'
const name = /^(store|service|engine)\b/.test(part) ? 'db' : 'core'
// What is pure is tested beside it; services also by what uses them.
const near = name === 'db' ? 'service' : part
const { displayName: _, ...project } = all.projects.find(({ displayName }) => displayName === name)

export default {
  ...project,
  testTimeout: all.testTimeout,
  testMatch: [`<rootDir>/src/${near}/**/*.test.ts`],
  testEnvironment: '@stryker-mutator/jest-runner/jest-env/node',
}

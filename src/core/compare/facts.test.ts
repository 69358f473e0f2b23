import { factsThatDiffer, type ComparedRun } from './facts'

const RUN: ComparedRun = {
  version: 3,
  inputs: { port: 'orrin' },
  machine: 'orrin-ops1',
  account: 'svc-till',
  agentVersion: '1.0.0',
  command: 'till --all',
  environment: { LANG: 'C', BUGLE_RUN: '17' },
  folder: '/srv',
  outputs: { boats: '11' },
  startedBy: 'Till files',
  attempts: 1,
  exitCode: 0,
  lengthMs: 10_000,
}

it('of two runs that were alike nothing is told, whatever is another in every process', () => {
  expect(factsThatDiffer(RUN, { ...RUN, environment: { LANG: 'C', BUGLE_RUN: '18' }, lengthMs: 14_900 })).toEqual([])
})

it('what differs is told in the order in which it is likely to matter, with what was not there at all', () => {
  const other = {
    ...RUN,
    version: 4,
    inputs: { port: 'orrin', day: '2027-03-09' },
    machine: 'tarn-ops1',
    environment: { LANG: 'C.UTF-8' },
    outputs: {},
    exitCode: null,
    lengthMs: 15_100,
  }
  expect(factsThatDiffer(RUN, other)).toEqual([
    { what: 'version of the job', a: '3', b: '4' },
    { what: 'input day', a: null, b: '2027-03-09' },
    { what: 'machine', a: 'orrin-ops1', b: 'tarn-ops1' },
    { what: 'environment LANG', a: 'C', b: 'C.UTF-8' },
    { what: 'exit code', a: '0', b: null },
    { what: 'handed on boats', a: '11', b: null },
    { what: 'took', a: '10.0 s', b: '15.1 s' },
  ])
})

it('a very long value is cut', () => {
  const [fact] = factsThatDiffer(RUN, { ...RUN, command: 'x'.repeat(5000) })
  expect(fact?.b).toHaveLength(301)
})

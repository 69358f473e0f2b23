import { describeReason } from './describe'
import { compareVersions, waitsForReach, whatLacks } from './eligible'
import { anAgent, aRun } from './facts.test-help'
import type { AgentState, ReadyRun, Reason } from './types'

const run = (change: Partial<ReadyRun> = {}): ReadyRun => aRun(7, change)
const agent = (change: Partial<AgentState> = {}): AgentState =>
  anAgent('orrin-ops1', { slots: 4, labels: { os: 'linux' }, version: '1.4.0', ...change })

describe('why a run waits', () => {
  const timeOf = (ms: number): string => new Date(ms).toISOString().slice(11, 16)
  it.each<[string, Reason]>([
    ['Held by a person until it is released.', { why: 'held' }],
    ['Starts are switched off.', { why: 'off' }],
    [
      'Steps of the kind ssh are switched off for all: the keys are being changed.',
      { why: 'kind', kind: 'ssh', because: 'the keys are being changed.' },
    ],
    [
      'The person at desk3 is asked, and has until 02:20 to answer.',
      { why: 'person', robot: 'desk3', how: 'asked', atMs: Date.UTC(2027, 2, 9, 2, 20) },
    ],
    [
      'The person at desk3 wants it at 02:20.',
      { why: 'person', robot: 'desk3', how: 'later', atMs: Date.UTC(2027, 2, 9, 2, 20) },
    ],
    ['No agent is enrolled yet.', { why: 'agent', lacks: [] }],
    [
      'No agent can take it: tarn-ops1 is out of reach and is draining.',
      { why: 'agent', lacks: [{ agent: 'tarn-ops1', lacks: ['is out of reach', 'is draining'] }] },
    ],
    [
      'No agent can take it: a is switched off. One other agent lacks something too.',
      { why: 'agent', lacks: ['a', 'b'].map((name) => ({ agent: name, lacks: ['is switched off'] })) },
    ],
    [
      'No agent can take it: a is switched off. 2 others lack something too.',
      { why: 'agent', lacks: ['a', 'b', 'c'].map((name) => ({ agent: name, lacks: ['is switched off'] })) },
    ],
    ['Waits for lock ledger: its units are with #4, #9.', { why: 'lock', lock: 'ledger', holders: [4, 9] }],
    ['Waits for lock ledger, of which there are too few units.', { why: 'lock', lock: 'ledger', holders: [] }],
    [
      'No slot is free: the first is expected on kelda-db1 at 02:15.',
      { why: 'slot', agent: 'kelda-db1', atMs: 8_100_000 },
    ],
    ['No robot is registered yet.', { why: 'agent', lacks: [], isRobot: true }],
    [
      'No robot can take it: desk1 is out of its hours (07:00–19:00). One other robot lacks something too.',
      {
        why: 'agent',
        isRobot: true,
        lacks: [
          { agent: 'desk1', lacks: ['is out of its hours (07:00–19:00)'] },
          { agent: 'desk2', lacks: ['is switched off', 'is out of reach'] },
        ],
      },
    ],
    [
      'No robot is free: the first is expected to be desk1, at 02:15.',
      { why: 'slot', agent: 'desk1', atMs: 8_100_000, isRobot: true },
    ],
    ['There is room, but it is kept for #18204, which comes first.', { why: 'turn', for: 18_204 }],
    [
      'Only 4 slots in Sailing may be in use at once: they are with #1, #2, #3, #4, #5 and 1 more.',
      { why: 'allowance', of: 'slots in Sailing', units: 4, holders: [1, 2, 3, 4, 5, 6] },
    ],
    [
      'Only 2 attended robots may be in use at once: it takes more than that.',
      { why: 'allowance', of: 'attended robots', units: 2, holders: [] },
    ],
    ['It starts in a moment.', { why: 'soon' }],
  ] as [string, Reason][])('“%s”', (words, reason) => {
    expect(describeReason(reason, timeOf)).toBe(words)
  })
})

const ROBOT: Partial<AgentState> = {
  name: 'desk1',
  slots: 1,
  robot: { agent: 'kelda-ops1', isAgentOn: true, isAttended: false, outOfHours: null, accountFault: null },
}

describe('what an agent lacks for a run', () => {
  it.each<[Partial<ReadyRun>, Partial<AgentState>, string[]]>([
    [{}, {}, []],
    [{ target: { agent: 'kelda-lab' } }, {}, ['is not kelda-lab']],
    [{}, { pools: {} }, ['is not in pool quay']],
    [{}, { pools: { quay: false } }, ['is switched off in pool quay']],
    [
      { target: { labels: { os: 'windows', site: 'kelda' } } },
      {},
      ['has no label os=windows', 'has no label site=kelda'],
    ],
    [{}, { on: false, connected: false, draining: true }, ['is switched off', 'is out of reach', 'is draining']],
    [{ slots: 5 }, {}, ['has 4 of 5 slots']],
    [{ kind: 'script' }, {}, ['cannot carry out script']],
    [{ minVersion: '1.10' }, {}, ['has version 1.4.0, needs 1.10']],
    [{ account: 'svc' }, {}, ['has no account svc']],
    [{ target: { robotPool: 'quay' } }, {}, ['is no robot']],
    [
      {},
      { robot: { agent: 'kelda-ops1', isAgentOn: true, isAttended: false, outOfHours: null, accountFault: null } },
      ['is a robot'],
    ],
    [
      { target: { robot: 'desk1' }, slots: 1 },
      {
        name: 'desk1',
        slots: 1,
        connected: false,
        robot: {
          agent: 'kelda-ops1',
          isAgentOn: true,
          isAttended: false,
          outOfHours: '07:00–19:00',
          accountFault: 'has an account that does not work',
        },
      },
      [
        'is out of its hours (07:00–19:00)',
        'has an account that does not work',
        'works on kelda-ops1, which is out of reach',
      ],
    ],
    [{ target: { robotLabels: { os: 'windows' } } }, ROBOT, ['has no label os=windows']],
    [{ target: { robot: 'desk2' } }, ROBOT, ['is not desk2']],
    [{ target: { robotPool: 'quay' } }, ROBOT, []],
    [
      { target: { robotPool: 'quay' } },
      {
        ...ROBOT,
        robot: { agent: 'kelda-ops1', isAgentOn: true, isAttended: true, outOfHours: null, accountFault: null },
      },
      ['is attended, and the person at it has not been asked'],
    ],
    [
      { target: { robotPool: 'quay' } },
      {
        ...ROBOT,
        robot: { agent: 'kelda-ops1', isAgentOn: false, isAttended: false, outOfHours: null, accountFault: null },
      },
      ['works on kelda-ops1, which is switched off'],
    ],
  ])('%j on %j: %j', (request, state, lacks) => {
    expect(whatLacks(run(request), agent(state))).toEqual(lacks)
  })

  it.each([
    ['1.10.0', '1.9.9', 1],
    ['1.4', '1.4.0', 0],
    ['1.4.0-beta.2', '1.4.0', 0],
    ['0.9', '1', -1],
  ])('version %s against %s', (a, b, sign) => {
    expect(Math.sign(compareVersions(a, b))).toBe(sign)
    expect(Math.sign(compareVersions(b, a))).toBe(sign === 0 ? 0 : -sign)
  })
})

describe('a run whose target cannot be reached', () => {
  const away = agent({ name: 'away', connected: false })
  it('waits for reach if one would fit that is away, and none that fits is there', () => {
    expect(waitsForReach(run(), [away])).toBe(true)
    expect(waitsForReach(run(), [away, agent({ name: 'off', on: false })])).toBe(true)
  })
  it('does not if one that fits is there, however full, or if none would fit', () => {
    expect(waitsForReach(run(), [away, agent()])).toBe(false)
    expect(waitsForReach(run(), [agent({ connected: false, draining: true })])).toBe(false)
    expect(waitsForReach(run(), [])).toBe(false)
  })
})

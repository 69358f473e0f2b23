import { checkBundle } from '../bundle/check'
import { FORMAT, type Bundle } from '../bundle/schema'
import { agentFacts } from '../forecast/agent-facts.test-help'
import { modelOf } from '../forecast/build'
import { changed } from '../forecast/changed'
import { differenceOf } from '../forecast/difference'
import { whatHelps } from '../forecast/help'
import { nightOf } from '../forecast/night'
import type { Server, ServerAgent } from '../forecast/server'
import { demandPicture } from './picture'

/** 2027-03-09, midnight in UTC. */
const FROM = 1_804_550_400

function bundleWith(more: object): Bundle {
  const checked = checkBundle({ format: FORMAT, ...more })
  if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
  return checked.bundle
}

const server = (agents: readonly ServerAgent[], more: Partial<Server> = {}): Server => ({
  agents,
  lengths: {},
  open: [],
  startsOff: false,
  ...more,
})
const at = (clock: string): string => `2027-03-09T${clock}Z`

describe('lengths that differ by a choice', () => {
  const harbour = { name: 'harbour', type: 'choice', options: ['kelda', 'orrin', 'brack'], default: 'orrin' }
  const bundle = bundleWith({
    pools: [{ id: 'quay' }],
    agents: [{ id: 'a', slots: 9, pools: ['quay'] }],
    jobs: [{ id: 'till', pool: 'quay', command: 'true', inputs: [harbour] }],
    flows: [
      {
        id: 'close',
        inputs: [harbour],
        steps: [
          { id: 'same', job: 'till', with: { harbour: '${harbour}' } },
          { id: 'other', job: 'till', with: { harbour: 'brack' } },
        ],
      },
    ],
    triggers: [
      { id: 'kelda', start: { job: 'till' }, with: { harbour: 'kelda' }, time: { at: ['01:00'] }, zone: 'UTC' },
      { id: 'usual', start: { job: 'till' }, time: { at: ['01:00'] }, zone: 'UTC' },
      { id: 'flow', start: { flow: 'close' }, with: { harbour: 'kelda' }, time: { at: ['01:00'] }, zone: 'UTC' },
    ],
  })
  const till = {
    samples: [100],
    fails: 0,
    count: 40,
    isGuess: false,
    byChoice: { input: 'harbour', samples: { kelda: [600], orrin: [60] } },
  }
  const lasts = (material: { bundle: Bundle; server: Server | null }): Record<string, number> =>
    Object.fromEntries(
      nightOf(material, FROM, 4, { samples: 0 }).runs.map(({ trigger, step, start, end }) => [
        step ?? trigger,
        (Date.parse(end ?? '') - Date.parse(start ?? '')) / 1000,
      ]),
    )
  const material = { bundle, server: server([agentFacts('a', ['quay'])], { lengths: { till } }) }

  it('are those of the value that a run has: given, by default, handed down by its flow; of all where a value ran too seldom', () => {
    expect(lasts(material)).toEqual({ kelda: 600, usual: 60, same: 600, other: 100 })
  })

  it('grow together when the job is said to take longer', () => {
    expect(lasts(changed(material, [{ length: { job: 'till', times: 2 } }]))).toEqual({
      kelda: 1200,
      usual: 120,
      same: 1200,
      other: 200,
    })
  })
})

describe('a forecast on a server', () => {
  const bundle = bundleWith({
    pools: [{ id: 'quay' }, { id: 'empty' }],
    agents: [
      { id: 'a', slots: 2, pools: ['quay'] },
      { id: 'b', slots: 1, pools: ['quay'] },
    ],
    jobs: [
      { id: 'check', pool: 'quay', command: 'true' },
      { id: 'copy', agent: 'b', command: 'true' },
      { id: 'linux', labels: { os: 'linux' }, command: 'true' },
      { id: 'nowhere', pool: 'empty', command: 'true' },
    ],
    triggers: [
      { id: 'all', start: { job: 'check' }, time: { at: ['01:00'] }, zone: 'UTC', spread: 'each', finishBy: '01:20' },
      { id: 'named', start: { job: 'copy' }, time: { at: ['01:00'] }, zone: 'UTC' },
      { id: 'labelled', start: { job: 'linux' }, time: { at: ['01:00'] }, zone: 'UTC' },
      { id: 'never', start: { job: 'nowhere' }, time: { at: ['01:00'] }, zone: 'UTC' },
    ],
  })
  const lengths: Server['lengths'] = {
    check: { samples: [600], fails: 0, isGuess: false, count: 20 },
    copy: { samples: [60], fails: 0, isGuess: false, count: 20 },
    linux: { samples: [60], fails: 0, isGuess: true, count: 2 },
    nowhere: { samples: [60], fails: 0, isGuess: false, count: 20 },
  }
  const agents = [agentFacts('a', ['quay']), agentFacts('b', ['quay'], { labels: { os: 'linux' } })]
  const night = (more: Partial<Server> = {}): ReturnType<typeof nightOf> =>
    nightOf({ bundle, server: server(agents, { lengths, ...more }) }, FROM, 6, { samples: 0 })

  it('starts on each machine, on a named one, on one with labels, and nowhere without any', () => {
    const runs = night().runs.map(({ trigger, agent: on, start, end }) => [trigger, on, start, end])
    expect(runs.slice(0, 2)).toEqual([
      ['all', 'a', at('01:00:00'), at('01:10:00')],
      ['all', 'b', at('01:00:00'), at('01:10:00')],
    ])
    expect(runs.filter(([trigger]) => trigger === 'named')).toEqual([['named', 'b', at('01:10:00'), at('01:11:00')]])
    expect(runs.filter(([trigger]) => trigger === 'labelled')).toEqual([
      ['labelled', 'b', at('01:11:00'), at('01:12:00')],
    ])
    expect(runs.filter(([trigger]) => trigger === 'never')).toEqual([['never', null, null, null]])
    expect(night().deadlines.map(({ machine, late }) => [machine, late])).toEqual([
      ['a', false],
      ['b', false],
    ])
  })

  it('starts nothing where starts are off, an agent is out of reach, drained or switched off', () => {
    expect(night({ startsOff: true }).runs).toEqual([])
    for (const more of [{ connected: false }, { draining: true }, { full: true }]) {
      const there = [agents[0] as ServerAgent, agentFacts('b', ['quay'], { labels: { os: 'linux' }, ...more })]
      expect(night({ agents: there }).runs.filter(({ agent: on }) => on === 'b')).toEqual([])
    }
    const off = [agents[0] as ServerAgent, agentFacts('b', ['quay'], { on: false })]
    expect(night({ agents: off }).runs.filter(({ trigger }) => trigger === 'all')).toHaveLength(1)
  })

  it('counts demand on all machines at once, and what runs on a named one apart', () => {
    const { pools } = demandPicture({ bundle, server: server(agents, { lengths }) }, FROM, 6)
    expect(pools.map(({ id, slots, peak }) => [id, slots, peak])).toEqual([
      ['quay', 3, 2],
      ['empty', 1, 1],
      ['', 3, 2],
    ])
    expect(pools[0]?.used.slice(59, 71)).toEqual([0, 2, 2, 2, 2, 2, 2, 2, 2, 2, 2, 0])
  })

  it('is another with a length, an agent or slots changed', () => {
    const material = { bundle, server: server(agents, { lengths }) }
    const ends = (changes: Parameters<typeof changed>[1]): (string | null)[] =>
      nightOf(changed(material, changes), FROM, 6, { samples: 0 })
        .runs.filter(({ trigger }) => trigger === 'all')
        .map(({ end }) => end)
    expect(ends([{ length: { job: 'check', times: 2 } }])).toEqual([at('01:20:00'), at('01:20:00')])
    expect(ends([{ slots: { pool: 'quay', to: 5 } }])).toHaveLength(3)
    expect(ends([{ slots: { pool: 'quay', to: 1 } }])).toHaveLength(1)
    expect(() => changed(material, [{ off: { trigger: 'all' } }, { off: { trigger: 'gone' } }])).toThrow('[1].off')
    expect(modelOf(material.bundle, FROM, 6, material.server).agents).toHaveLength(2)
  })

  it('differs machine by machine', () => {
    const of = (length: number): ReturnType<typeof night> =>
      night({ lengths: { ...lengths, check: { ...lengths.check, samples: [length] } as (typeof lengths)[string] } })
    const { runs, deadlines } = differenceOf(of(600), of(1800))
    const machines = (list: readonly { trigger: string; machine?: string }[]): (string | undefined)[] =>
      list.filter(({ trigger }) => trigger === 'all').map(({ machine }) => machine)
    expect([machines(runs), machines(deadlines)]).toEqual([
      ['a', 'b'],
      ['a', 'b'],
    ])
  })
})

describe('what would help most', () => {
  it('is found by trying', () => {
    const bundle = bundleWith({
      pools: [{ id: 'quay' }],
      agents: [{ id: 'a', slots: 1, pools: ['quay'] }],
      jobs: [
        { id: 'long', pool: 'quay', expect: 'PT30M' },
        { id: 'short', pool: 'quay', expect: 'PT5M' },
      ],
      triggers: [
        { id: 'first', start: { job: 'long' }, time: { at: ['00:55'] }, zone: 'UTC' },
        { id: 'second', start: { job: 'short' }, time: { at: ['01:00'] }, zone: 'UTC', finishBy: '01:10' },
      ],
    })
    const material = { bundle, server: server([agentFacts('a', ['quay'])]) }
    const night = nightOf(material, FROM, 6, { samples: 20 })
    const deadline = night.deadlines[0]
    if (!deadline) throw new Error('no deadline')
    expect(deadline.chance).toBe(0)
    const request = { samples: 20, seed: 1, isTime: () => true }
    expect(whatHelps(material, FROM, 6, night, deadline, request)).toMatchObject({
      words: 'one slot more in quay',
      chance: 1,
      without: 0,
    })
    expect(whatHelps(material, FROM, 6, night, deadline, { ...request, isTime: () => false })).toBeNull()
  })

  it('is told of this occurrence, not of one shortly before it', () => {
    const bundle = bundleWith({
      pools: [{ id: 'quay' }],
      agents: [{ id: 'a', slots: 1, pools: ['quay'] }],
      jobs: [
        { id: 'long', pool: 'quay', expect: 'PT30M' },
        { id: 'short', pool: 'quay', expect: 'PT5M' },
      ],
      triggers: [
        { id: 'first', start: { job: 'long' }, time: { at: ['00:55'] }, zone: 'UTC' },
        { id: 'twice', start: { job: 'short' }, time: { at: ['00:45', '01:00'] }, zone: 'UTC', finishBy: '01:10' },
      ],
    })
    const material = { bundle, server: server([agentFacts('a', ['quay'])]) }
    const night = nightOf(material, FROM, 6, { samples: 20 })
    expect(night.deadlines.map(({ chance }) => chance)).toEqual([1, 0])
    const deadline = night.deadlines[1] as (typeof night.deadlines)[number]
    const request = { samples: 20, seed: 1, isTime: () => true }
    expect(whatHelps(material, FROM, 6, night, deadline, request)).toMatchObject({ chance: 1, without: 0 })
  })

  it('may be an earlier start', () => {
    const bundle = bundleWith({
      pools: [{ id: 'quay' }],
      agents: [{ id: 'a', slots: 1, pools: ['quay'] }],
      jobs: [{ id: 'short', pool: 'quay', expect: 'PT30M' }],
      triggers: [{ id: 'only', start: { job: 'short' }, time: { at: ['01:00'] }, zone: 'UTC', finishBy: '01:10' }],
    })
    const material = { bundle, server: server([agentFacts('a', ['quay'])]) }
    const night = nightOf(material, FROM, 6, { samples: 20 })
    const request = { samples: 20, seed: 1, isTime: () => true }
    const deadline = night.deadlines[0] as (typeof night.deadlines)[number]
    expect(whatHelps(material, FROM, 6, night, deadline, request)).toMatchObject({
      words: 'a start at 00:30',
      chance: 1,
      without: 0,
    })
  })
})

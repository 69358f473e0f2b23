import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Command } from 'commander'
import type { Difference } from '@/core/forecast/difference'
import type { Forecast } from '@/core/forecast/report'
import type { Proposal } from '@/core/tuning/tune'
import { BadInput } from './bad-input'
import { addForecastCommands } from './forecast'

const folder = mkdtempSync(join(tmpdir(), 'bugle-forecast-'))
afterAll(() => rmSync(folder, { recursive: true }))
const NIGHT = {
  format: 'bugle-bundle/1',
  zone: 'Europe/London',
  pools: [{ id: 'quay', slots: 2 }, { id: 'lab' }, { id: 'idle', slots: 3 }],
  agents: [
    { id: 'lab1', slots: 2, pools: ['lab'], away: [{ from: '2027-03-09T22:03:00Z', to: '2027-03-09T22:10:00Z' }] },
  ],
  locks: [{ id: 'fares', units: 1 }],
  jobs: [
    { id: 'pull', pool: 'quay', expect: 'PT3M', locks: { fares: 1 } },
    { id: 'check', pool: 'quay', expect: { p50: 'PT5M', p90: 'PT9M' }, slots: 2 },
    {
      id: 'count',
      pool: 'lab',
      expect: { samples: ['PT2M', 'PT4M', 'PT8M', 'PT9M'] },
      fails: 0.3,
      retry: { times: 1 },
    },
    { id: 'nowhere', agent: 'lab1' },
  ],
  flows: [
    {
      id: 'close',
      steps: [
        { id: 'pull', job: 'pull' },
        { id: 'check', job: 'check', after: [{ step: 'pull' }] },
        { id: 'count', job: 'count', after: [{ step: 'pull' }] },
      ],
    },
  ],
  triggers: [
    { id: 'close', start: { flow: 'close' }, time: { at: ['22:00'] }, finishBy: '22:12' },
    {
      id: 'pulls',
      start: { job: 'pull' },
      time: { every: { step: 'PT2M', from: '22:00', until: '22:02' } },
      overlap: 'wait',
    },
    { id: 'count', start: { job: 'count' }, time: { at: ['22:01'] }, overlap: 'skip' },
  ],
} as const

let files = 0
function file(bundle: object): string {
  const path = join(folder, `${++files}.bugle.json`)
  writeFileSync(path, JSON.stringify(bundle))
  return path
}
async function bugle<T>(...args: string[]): Promise<T> {
  const printed: unknown[] = []
  const program = new Command().exitOverride()
  addForecastCommands(program, (value) => printed.push(value))
  await program.parseAsync(['node', 'bugle', ...args])
  return printed[0] as T
}
const AT = ['--from', '2027-03-09T12:00:00Z', '--hours', '24']

describe('bugle forecast', () => {
  it('says what will run when and where, what waits for what, and which deadlines are met', async () => {
    const { runs, load, deadlines, waits } = await bugle<Forecast>('forecast', file(NIGHT), ...AT)
    const short = (at: string | null): string => at?.slice(11, 16) ?? '-'
    expect(
      runs.map((run) =>
        [
          run.number,
          run.trigger,
          run.step,
          short(run.ready),
          short(run.start),
          short(run.end),
          run.agent,
          run.state,
        ].join(' '),
      ),
    ).toEqual([
      '1 close pull 22:00 22:00 22:03 quay succeeded',
      '3 count  22:01 22:01 22:03 lab1 lost',
      '4 close check 22:03 22:03 22:08 quay succeeded',
      '2 pulls  22:00 22:08 22:11 quay succeeded',
      '3 count  22:03 22:10 22:14 lab1 succeeded',
      '5 close count 22:03 22:10 22:14 lab1 succeeded',
      '6 pulls  22:11 22:11 22:14 quay succeeded',
    ])
    expect(load.map(({ pool, capacity, peak, busySlotSeconds }) => [pool, capacity, peak, busySlotSeconds])).toEqual([
      ['quay', 2, 2, 3 * 180 + 2 * 300],
      ['lab', 2, 2, 120 + 2 * 240],
      ['idle', 3, 0, 0],
    ])
    expect(load[2]?.profile).toEqual([['2027-03-09T12:00:00Z', 0]])
    expect(deadlines).toEqual([
      {
        trigger: 'close',
        occurrence: '2027-03-09T22:00:00Z',
        due: '2027-03-09T22:12:00Z',
        finish: '2027-03-09T22:14:00Z',
        margin: -120,
        late: true,
        decidedBy: [5, 'agent lab1'],
      },
    ])
    expect(waits).toEqual([
      { reason: 'agent', seconds: 2 * 7 * 60 },
      { reason: 'lock', seconds: 180 },
      { reason: 'slot', seconds: 300 },
    ])
  })

  it('says how sure that is, the same each time', async () => {
    const path = file(NIGHT)
    const sampled = (seed: string): Promise<Forecast> =>
      bugle<Forecast>('forecast', path, ...AT, '--samples', '100', '--seed', seed)
    const [first, again, other] = [await sampled('7'), await sampled('7'), await sampled('8')]
    expect(again).toEqual(first)
    expect(other.deadlines).not.toEqual(first.deadlines)
    const { chance, finishP50, finishP90 } = first.deadlines[0] as Forecast['deadlines'][number]
    expect(chance).toBeGreaterThan(0)
    expect(chance).toBeLessThan(0.6)
    expect((finishP50 as string) < (finishP90 as string)).toBe(true)
  })

  it.each([
    ['no stretch', ['--from', '2027-03-09T12:00:00Z'], NIGHT, /^--hours NUMBER is missing/],
    ['half an hour', ['--from', '2027-03-09T12:00:00Z', '--hours', '0.5'], NIGHT, /^--hours: “0.5” is not a whole/],
    ['no instant', ['--from', 'noon', '--hours', '1'], NIGHT, /^--from: “noon”/],
    ['samples that are none', [...AT, '--samples', 'many'], NIGHT, /^--samples:/],
    [
      'a job without a pool',
      AT,
      { ...NIGHT, triggers: [{ id: 't', start: { job: 'nowhere' }, time: { at: ['22:00'] } }] },
      /^jobs\[3\]: /,
    ],
    [
      'an absence that ends before it begins',
      AT,
      {
        ...NIGHT,
        agents: [{ id: 'a', slots: 1, away: [{ from: '2027-03-09T22:03:00Z', to: '2027-03-09T22:03:00Z' }] }],
      },
      /^agents\[0\]\.away\[0\]\.to: /,
    ],
    [
      'a gate without a value',
      AT,
      {
        ...NIGHT,
        flows: [
          {
            id: 'close',
            inputs: [{ name: 'harbour', type: 'text' }],
            steps: [{ id: 'pull', job: 'pull', gate: { input: 'harbour', equals: 'orrin' } }],
          },
        ],
      },
      /^triggers\[0\]\.with: The gate of pull looks at the input harbour/,
    ],
  ])('answers %s with what is wrong', async (_, options, bundle, message) => {
    const failed = bugle('forecast', file(bundle), ...options)
    await expect(failed).rejects.toBeInstanceOf(BadInput)
    await expect(failed).rejects.toThrow(message)
  })
})

describe('bugle forecast --change', () => {
  const changed = (changes: unknown, bundle: object = NIGHT, ...more: string[]): Promise<WhatIf> => {
    const path = join(folder, `${++files}.changes.json`)
    writeFileSync(path, JSON.stringify(changes))
    return bugle<WhatIf>('forecast', file(bundle), ...AT, '--change', path, ...more)
  }
  interface WhatIf {
    readonly before: Forecast
    readonly after: Forecast
    readonly difference: Difference
  }

  it('tells nothing where nothing changes, and what another length moves', async () => {
    const same = await changed([])
    expect(same.after).toEqual(same.before)
    expect(same.difference).toEqual({ runs: [], deadlines: [], peaks: [], waits: [] })
    const { difference } = await changed([{ length: { job: 'count', times: 0.5 } }])
    expect(difference.deadlines).toEqual([
      {
        trigger: 'close',
        occurrence: '2027-03-09T22:00:00Z',
        before: { finish: '2027-03-09T22:14:00Z', late: true },
        after: { finish: '2027-03-09T22:12:00Z', late: false },
      },
    ])
    expect(difference.runs.map(({ trigger, step }) => [trigger, step])).toEqual([
      ['count', null],
      ['close', 'count'],
    ])
  })

  it.each([
    [
      'an agent that stays',
      [{ away: { agent: 'lab1', from: '2027-03-09T21:00:00Z', to: '2027-03-09T23:00:00Z' } }],
      'finish',
      '2027-03-09T23:04:00Z',
    ],
    ['another deadline', [{ finishBy: { trigger: 'close', to: '22:30' } }], 'late', false],
    ['no deadline', [{ finishBy: { trigger: 'close', to: null } }], undefined, undefined],
    ['another time', [{ at: { trigger: 'close', to: ['22:20'] } }], 'finish', '2027-03-09T22:28:00Z'],
    ['a trigger that is off', [{ off: { trigger: 'close' } }], undefined, undefined],
  ] as const)('plays %s', async (_, changes, key, value) => {
    const { after } = await changed(changes)
    if (key === undefined) expect(after.deadlines).toEqual([])
    else expect(after.deadlines[0]).toMatchObject({ [key]: value })
  })

  it('plays slots of an agent: who has a deadline goes first, the other waits', async () => {
    const { difference } = await changed([{ slots: { agent: 'lab1', to: 1 } }])
    expect(difference.runs).toEqual([
      {
        trigger: 'count',
        occurrence: '2027-03-09T22:01:00Z',
        step: null,
        before: { start: '2027-03-09T22:10:00Z', end: '2027-03-09T22:14:00Z', agent: 'lab1' },
        after: { start: '2027-03-09T22:14:00Z', end: '2027-03-09T22:18:00Z', agent: 'lab1' },
      },
    ])
  })

  it('plays slots of a pool, units, windows, triggers that are added, and extra starts', async () => {
    const { before, after, difference } = await changed([
      { slots: { pool: 'quay', to: 4 } },
      { units: { lock: 'fares', to: 2 } },
      { window: { trigger: 'close', earliest: '21:00', latest: '23:00' } },
      { add: { trigger: { id: 'new', start: { job: 'check' }, time: { at: ['22:00'] } } } },
      { extra: { work: 'pull', at: '2027-03-09T21:00:00Z', times: 3 } },
    ])
    expect(after.runs.length).toBe(before.runs.length + 4)
    expect(after.load[0]?.capacity).toBe(4)
    expect(difference.peaks).toEqual([{ pool: 'quay', before: 2, after: 4 }])
    // One lock of two units: of three extra starts at one instant the third waits.
    const extra = after.runs.filter(({ trigger }) => trigger.startsWith('extra-pull-')).map(({ start }) => start)
    expect(extra).toEqual(['2027-03-09T21:00:00Z', '2027-03-09T21:00:00Z', '2027-03-09T21:03:00Z'])
  })

  it('gives extra starts names of their own, however long the work’s is', async () => {
    const long = `pull-${'x'.repeat(58)}`
    const bundle = {
      format: NIGHT.format,
      pools: [{ id: 'quay', slots: 4 }],
      jobs: [{ id: long, pool: 'quay', expect: 'PT3M' }],
    }
    const { after } = await changed([{ extra: { work: long, at: '2027-03-09T21:00:00Z', times: 3 } }], bundle)
    expect(new Set(after.runs.map(({ trigger }) => trigger)).size).toBe(3)
  })

  it('compares samples drawn alike', async () => {
    const { before, after } = await changed([{ length: { job: 'check', times: 1 } }], NIGHT, '--samples', '30')
    expect(after.deadlines).toEqual(before.deadlines)
  })

  it.each([
    ['a change of no kind', [{ shift: {} }], /^--change: \[0\]/],
    ['a word too many', [{ off: { trigger: 'close', now: true } }], /^--change: \[0\]/],
    ['an unknown agent', [{ slots: { agent: 'lab9', to: 2 } }], /^\[0\]\.slots\.agent: There is no agent lab9/],
    ['slots of a pool that has agents', [{ slots: { pool: 'lab', to: 2 } }], /^\[0\]\.slots\.pool: .*agents/],
    [
      'unknown work',
      [{ off: { trigger: 'close' } }, { extra: { work: 'x', at: '2027-03-09T21:00:00Z' } }],
      /^\[1\]\.extra\.work/,
    ],
    [
      'a trigger that does not fit',
      [{ add: { trigger: { id: 'new', start: { job: 'gone' }, time: { at: ['22:00'] } } } }],
      /With the changes/,
    ],
  ])('answers %s with its place', async (_, changes, message) => {
    await expect(changed(changes)).rejects.toThrow(message)
  })
})

const TWO = {
  format: 'bugle-bundle/1',
  pools: [{ id: 'quay', slots: 1 }],
  jobs: [{ id: 'pull', pool: 'quay', expect: 'PT20M' }],
  triggers: [
    { id: 'first', start: { job: 'pull' }, time: { at: ['22:00'] }, window: { earliest: '21:00', latest: '23:00' } },
    { id: 'second', start: { job: 'pull' }, time: { at: ['22:00'] }, window: { earliest: '22:00', latest: '23:00' } },
  ],
}

describe('bugle tune', () => {
  it('moves as little as it must, says why, and that nothing is better', async () => {
    const path = file(TWO)
    const { moves, before, after, bound, proven } = await bugle<Proposal>('tune', path, ...AT, '--keep', 'first')
    expect(moves).toEqual([
      {
        trigger: 'second',
        from: '22:00',
        to: '22:20',
        minutes: 20,
        reason: 'It lowers the peak of quay at 22:00 UTC from 2 to 1 of 1 slots.',
      },
    ])
    expect(before).toEqual({ late: 0, strain: 1, peaks: { quay: 2 }, relative: 2 })
    expect(after).toEqual({ late: 0, strain: 0, peaks: { quay: 1 }, relative: 1 })
    expect({ bound, proven }).toEqual({ bound: { late: 0, strain: 0, relative: 1 }, proven: true })
    const coarse = await bugle<Proposal>('tune', path, ...AT, '--only', 'second', '--grid', 'PT45M')
    expect(coarse.moves).toMatchObject([{ to: '22:45' }])
  })

  it.each([
    ['an unknown trigger', ['--only', 'third'], /^--only: there is no trigger third/],
    ['another', ['--keep', 'first,fourth'], /^--keep: there is no trigger fourth/],
    ['a grid of seconds', ['--grid', 'PT90S'], /^--grid:/],
    ['no time at all', ['--seconds', '0'], /^--seconds:/],
  ])('answers %s with what is wrong', async (_, options, message) => {
    await expect(bugle('tune', file(TWO), ...AT, ...options)).rejects.toThrow(message)
  })
})

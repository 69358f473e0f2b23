import '../calendar/holiday-data'
import { checkBundle, checkBundleText } from './check'
import { depthsOf, loopsOf } from './graph'
import Ajv2020 from 'ajv/dist/2020'
import { bundleJsonSchema } from './schema'
import type { Fault } from '../schema/faults'

const BASE = { format: 'bugle-bundle/1', jobs: [{ id: 'j' }] }
const TRIGGER = { id: 't', start: { job: 'j' }, time: { at: ['17:00'] } }
const calendar = (days: unknown, id = 'c'): object => ({ id, days })

function faultsOf(file: unknown): readonly Fault[] {
  const checked = checkBundle(file)
  return checked.ok ? [] : checked.faults
}
const withCalendar = (days: unknown): readonly Fault[] => faultsOf({ ...BASE, calendars: [calendar(days)] })
const withTrigger = (change: object): readonly Fault[] => faultsOf({ ...BASE, triggers: [{ ...TRIGGER, ...change }] })

describe('a good bundle', () => {
  it('may be very small, and gains its defaults', () => {
    const checked = checkBundle({ ...BASE, triggers: [TRIGGER] })
    expect(checked).toMatchObject({
      ok: true,
      bundle: {
        zone: 'UTC',
        calendars: [],
        triggers: [{ gap: 'later', fold: 'first', enabled: true, overlap: 'wait' }],
      },
    })
  })

  it('may begin with a byte-order mark', () => {
    expect(checkBundleText(`\uFEFF${JSON.stringify(BASE)}`).ok).toBe(true)
  })

  it('may call a calendar constructor', () => {
    expect(
      faultsOf({
        ...BASE,
        calendars: [calendar({ weekdays: ['MO'] }, 'constructor'), calendar({ calendar: 'constructor' }, 'd')],
      }),
    ).toEqual([])
  })

  it('takes every form of days', () => {
    const work = { weekdays: ['MO'] }
    for (const days of [
      { dates: [] },
      { dates: ['2027-05-03', { date: '2027-12-31', title: 'Stocktaking' }] },
      { between: ['02-29', '01-01'] },
      { rrule: 'FREQ=MONTHLY;BYDAY=2TU', start: '2020-01-01' },
      { holidays: { country: 'GB', region: 'SCT', types: ['public'] } },
      { nth: { n: -366, of: work, in: 'year', yearStart: 12 } },
      { any: [work] },
      { all: [work, { not: work }] },
      { shift: { of: work, days: -3660, counting: work } },
      { roll: { of: work, onto: work, to: 'next-in-month' } },
    ])
      expect(withCalendar(days)).toEqual([])
  })

  it('takes flows, whose links and routes lead forward', () => {
    const flow = {
      id: 'f',
      steps: [
        { id: 'a', job: 'j' },
        { id: 'b', job: 'j', after: [{ step: 'a' }], onFailure: { goTo: 'c' }, gate: { days: { weekdays: ['MO'] } } },
        { id: 'c', job: 'j' },
      ],
      groups: [{ id: 'g', steps: ['a'], onFailure: { goTo: 'c' } }],
    }
    expect(faultsOf({ ...BASE, flows: [flow], triggers: [{ ...TRIGGER, start: { flow: 'f' } }] })).toEqual([])
  })
})

describe('a fault in days is told with its path', () => {
  const path = 'calendars[0].days'
  it.each<[string, unknown, string, string]>([
    ['a code of no weekday', { weekdays: ['MO', 'XX'] }, `${path}.weekdays[1]`, '"MO"'],
    ['lower case', { weekdays: ['mo'] }, `${path}.weekdays[0]`, '"MO"'],
    ['no weekday', { weekdays: [] }, `${path}.weekdays`, 'at least one'],
    ['no such date', { dates: ['2027-02-29'] }, `${path}.dates[0]`, '2027-03-09'],
    ['no such date with a title', { dates: [{ date: '2027-02-29' }] }, `${path}.dates[0].date`, '2027-03-09'],
    ['an unknown key of a date', { dates: [{ date: '2027-02-28', name: 'x' }] }, `${path}.dates[0].name`, 'not known'],
    ['a date that is a number', { dates: [5] }, `${path}.dates[0]`, 'forms'],
    ['30 February', { between: ['02-30', '03-01'] }, `${path}.between[0]`, '05-15'],
    ['one end', { between: ['02-01'] }, `${path}.between`, ''],
    ['a bad recurrence', { rrule: 'FREQ=NEVER', start: '2027-01-01' }, `${path}.rrule`, 'FREQ is one of'],
    ['a recurrence without a start', { rrule: 'FREQ=DAILY' }, path, 'start'],
    ['a start without a recurrence', { weekdays: ['MO'], start: '2027-01-01' }, path, 'start'],
    ['an unknown country', { holidays: { country: 'XX' } }, `${path}.holidays.country`, 'XX'],
    ['an unknown region', { holidays: { country: 'GB', region: 'ZZ' } }, `${path}.holidays.region`, 'SCT'],
    [
      'an unknown region of a region',
      { holidays: { country: 'DE', region: 'BY-ZZ' } },
      `${path}.holidays.region`,
      'after BY-',
    ],
    ['the 0th', { nth: { n: 0, of: { weekdays: ['MO'] }, in: 'month' } }, `${path}.nth.n`, '0th'],
    ['the 367th', { nth: { n: 367, of: { weekdays: ['MO'] }, in: 'month' } }, `${path}.nth.n`, '-366 to 366'],
    ['half a day', { nth: { n: 1.5, of: { weekdays: ['MO'] }, in: 'month' } }, `${path}.nth.n`, 'whole number'],
    ['no period', { nth: { n: 1, of: { weekdays: ['MO'] } } }, `${path}.nth`, 'in'],
    ['an unknown period', { nth: { n: 1, of: { weekdays: ['MO'] }, in: 'decade' } }, `${path}.nth.in`, '"week"'],
    [
      'a 13th month',
      { nth: { n: 1, of: { weekdays: ['MO'] }, in: 'year', yearStart: 13 } },
      `${path}.nth.yearStart`,
      '1 to 12',
    ],
    ['nothing to unite', { any: [] }, `${path}.any`, 'at least one'],
    [
      'a fault deep inside',
      { any: [{ not: { weekdays: ['MO', 'TU', 'XX'] } }] },
      `${path}.any[0].not.weekdays[2]`,
      '"MO"',
    ],
    ['a shift too far', { shift: { of: { weekdays: ['MO'] }, days: 3661 } }, `${path}.shift.days`, '3660'],
    [
      'an unknown way to roll',
      { roll: { of: { weekdays: ['MO'] }, onto: { weekdays: ['TU'] }, to: 'up' } },
      `${path}.roll.to`,
      '"next"',
    ],
    ['no form', {}, path, 'exactly one'],
    ['two forms', { weekdays: ['MO'], not: { weekdays: ['MO'] } }, path, 'weekdays and not'],
    ['an unknown form', { weekday: ['MO'] }, `${path}.weekday`, 'not known'],
    ['an unknown calendar', { all: [{ calendar: 'nowhere' }] }, `${path}.all[0].calendar`, 'nowhere'],
    ['a list', ['MO'], path, 'object'],
    ['nothing', null, path, 'object'],
  ])('%s', (_, days, at, said) => {
    expect(withCalendar(days)).toEqual([{ path: at, message: expect.stringContaining(said) as string }])
  })
})

describe('a fault in a trigger is told with its path', () => {
  it.each<[string, object, string, string]>([
    ['no time', { time: {} }, 'triggers[0].time', 'exactly one'],
    ['two times', { time: { at: ['17:00'], cron: '* * * * *' } }, 'triggers[0].time', 'at and cron'],
    ['24:00', { time: { at: ['24:00'] } }, 'triggers[0].time.at[0]', '06:00'],
    ['no time of day', { time: { at: [] } }, 'triggers[0].time.at', 'at least one'],
    ['a step of a week', { time: { every: { step: 'P1W' } } }, 'triggers[0].time.every.step', 'PT15M'],
    ['a step of nothing', { time: { every: { step: 'PT0S' } } }, 'triggers[0].time.every.step', 'PT1S'],
    ['a step of more than a day', { time: { every: { step: 'PT24H1S' } } }, 'triggers[0].time.every.step', 'PT24H'],
    ['a fraction', { time: { every: { step: 'PT1.5H' } } }, 'triggers[0].time.every.step', 'PT15M'],
    ['a crontab nickname', { time: { cron: '@daily' } }, 'triggers[0].time.cron', 'five fields'],
    ['a recurrence without a start', { time: { rrule: 'FREQ=DAILY' } }, 'triggers[0].time', 'start'],
    [
      'a start of a day only',
      { time: { rrule: 'FREQ=DAILY', start: '2027-01-01' } },
      'triggers[0].time.start',
      '2027-01-04T06:00',
    ],
    ['an unknown zone', { zone: 'Europe/Kelda' }, 'triggers[0].zone', 'IANA'],
    ['an offset for a zone', { zone: '+01:00' }, 'triggers[0].zone', 'IANA'],
    ['an unknown gap', { gap: 'sooner' }, 'triggers[0].gap', '"later"'],
    ['a last day before the first', { from: '2027-02-01', until: '2027-01-31' }, 'triggers[0].until', '2027-02-01'],
    ['an unknown calendar', { on: { calendar: 'x' } }, 'triggers[0].on.calendar', 'x'],
    ['an unknown job', { start: { job: 'x' } }, 'triggers[0].start.job', 'x'],
    ['an unknown flow', { start: { flow: 'x' } }, 'triggers[0].start.flow', 'x'],
    ['both a job and a flow', { start: { job: 'j', flow: 'f' } }, 'triggers[0].start', 'exactly one'],
    ['an unknown key', { when: 'now' }, 'triggers[0].when', 'not known'],
    ['a bad allowance', { lateStart: '20 min' }, 'triggers[0].lateStart', 'PT15M'],
    ['a bad window', { window: { earliest: '22:00', latest: '25:00' } }, 'triggers[0].window.latest', '06:00'],
    ['half a window', { window: { earliest: '22:00' } }, 'triggers[0].window', 'latest'],
    ['a bad deadline', { finishBy: '4:30' }, 'triggers[0].finishBy', '06:00'],
    ['an unknown overlap', { overlap: 'queue' }, 'triggers[0].overlap', '"wait"'],
  ])('%s', (_, change, at, said) => {
    const faults = withTrigger(change).filter((fault) => !/There is no flow f/.test(fault.message))
    expect(faults).toEqual([{ path: at, message: expect.stringContaining(said) as string }])
  })

  it('all missing keys of an object at once', () => {
    expect(faultsOf({ ...BASE, triggers: [{}] })).toEqual([
      { path: 'triggers[0]', message: 'The keys id, start are missing.' },
      { path: 'triggers[0]', message: 'A trigger needs one of the keys time, backlog, measure, file, call, after.' },
    ])
  })
})

describe('faults of the whole file', () => {
  it('are all found at once', () => {
    const faults = faultsOf({
      format: 'bugle-bundle/1',
      extra: 1,
      calendars: [calendar({ weekdays: ['XX'] }), calendar({ calendar: 'x' }, 'd'), calendar({ dates: [] }, 'd')],
      triggers: [{ ...TRIGGER, zone: 'x' }],
    })
    expect(faults.map((fault) => fault.path).sort()).toEqual(
      [
        'calendars[0].days.weekdays[0]',
        'calendars[1].days.calendar',
        'calendars[2].id',
        'extra',
        'triggers[0].start.job',
        'triggers[0].zone',
      ].sort(),
    )
  })

  it.each([
    ['{"format":', 'not JSON'],
    ['// a comment\n{}', 'not JSON'],
    ['[]', 'object'],
    ['{}', 'format'],
    ['{"format":"bugle-bundle/2"}', 'bugle-bundle/1'],
  ])('%s', (text, said) => {
    const checked = checkBundleText(text)
    expect(checked.ok ? '' : checked.faults[0]?.message).toContain(said)
  })

  it('name every calendar of a loop', () => {
    const calendars = [
      calendar({ calendar: 'b' }, 'a'),
      calendar({ not: { calendar: 'c' } }, 'b'),
      calendar({ any: [{ calendar: 'a' }] }, 'c'),
      calendar({ calendar: 'd' }, 'd'),
    ]
    const faults = faultsOf({ ...BASE, calendars })
    expect(faults.map((fault) => fault.path)).toEqual(['calendars[0]', 'calendars[3]'])
    expect(faults[0]?.message).toContain('a, b, c')
  })

  it('are told of steps and flows too', () => {
    const steps = [
      { id: 'a', job: 'j', after: [{ step: 'b' }] },
      { id: 'b', job: 'x', after: [{ step: 'a' }, { step: 'z' }] },
      { id: 'c', flow: 'f', onFailure: { goTo: 'q' } },
      { id: 'd' },
    ]
    const paths = faultsOf({ ...BASE, flows: [{ id: 'f', steps, groups: [{ id: 'g', steps: ['nobody'] }] }] }).map(
      (fault) => fault.path,
    )
    expect(paths.sort()).toEqual(
      [
        'flows[0]',
        'flows[0].groups[0].steps[0]',
        'flows[0].steps[0]',
        'flows[0].steps[1].after[1].step',
        'flows[0].steps[1].job',
        'flows[0].steps[2].onFailure.goTo',
        'flows[0].steps[3]',
      ].sort(),
    )
  })

  it.each<[object, string, string]>([
    [{ input: 'port' }, 'gate', 'exactly one of the keys equals, not, in'],
    [{ input: 'port', equals: 'orrin', not: 'orrin' }, 'gate', 'exactly one of the keys equals, not, in'],
    [{ input: 'pier', equals: 'x' }, 'gate.input', 'There is no input pier'],
    [{ input: 'word', equals: 'x' }, 'gate.input', 'A secret cannot be compared'],
    [
      { input: 'port', equals: 'kelda' },
      'gate.equals',
      'The input port can never be “kelda”: it is one of orrin, stavin',
    ],
    [{ input: 'count', in: [1, 'two'] }, 'gate.in[1]', 'it is a number'],
    [{ days: { weekdays: ['MO'] }, equals: 'x' }, 'gate.equals', 'goes with input'],
    [{ days: { weekdays: ['MO'] }, input: 'port', equals: 'orrin' }, 'gate', 'exactly one'],
    [{ days: { weekdays: ['XX'] } }, 'gate.days.weekdays[0]', 'MO'],
  ])('are told of the gate %j', (gate, path, message) => {
    const inputs = [
      { name: 'port', type: 'choice', options: ['orrin', 'stavin'] },
      { name: 'count', type: 'number' },
      { name: 'word', type: 'secret' },
    ]
    const faults = faultsOf({ ...BASE, flows: [{ id: 'f', inputs, steps: [{ id: 'a', job: 'j', gate }] }] })
    expect(faults.map((fault) => fault.path)).toContain(`flows[0].steps[0].${path}`)
    expect(faults.map((fault) => fault.message).join()).toContain(message)
  })

  it('are told of a step in two groups', () => {
    const groups = [
      { id: 'g', steps: ['a'] },
      { id: 'h', steps: ['a'] },
    ]
    expect(faultsOf({ ...BASE, flows: [{ id: 'f', steps: [{ id: 'a', job: 'j' }], groups }] })).toEqual([
      { path: 'flows[0].groups[1].steps[0]', message: 'The step a is in the group g already; it may be in one.' },
    ])
  })

  it('are told of pools, locks and absences', () => {
    const paths = faultsOf({
      format: 'bugle-bundle/1',
      agents: [
        { id: 'a', slots: 1, pools: ['p'], away: [{ from: '2027-01-02T00:00:00Z', to: '2027-01-01T00:00:00Z' }] },
      ],
      jobs: [{ id: 'j', pool: 'p', agent: 'a', locks: { l: 1 } }],
    }).map((fault) => fault.path)
    expect(paths.sort()).toEqual(
      ['agents[0].away[0].to', 'agents[0].pools[0]', 'jobs[0]', 'jobs[0].locks.l', 'jobs[0].pool'].sort(),
    )
  })
})

describe('a hostile file', () => {
  const nested = (depth: number): unknown => {
    let rule: unknown = { weekdays: ['MO'] }
    for (let i = 1; i < depth; i++) rule = { not: rule }
    return rule
  }

  it('nests 64 deep at most; deeper is named where the rule begins', () => {
    expect(withCalendar(nested(64))).toEqual([])
    expect(withCalendar(nested(65))).toEqual([
      { path: 'calendars[0].days', message: expect.stringContaining('64') as string },
    ])
    expect(withTrigger({ notOn: nested(70) })).toEqual([
      { path: 'triggers[0].notOn', message: expect.stringContaining('64') as string },
    ])
  })

  it('nested a hundred thousand deep is refused, not followed', () => {
    const text = `{"format":"bugle-bundle/1","calendars":[{"id":"c","days":${'{"not":'.repeat(100_000)}1${'}'.repeat(100_000)}}]}`
    const checked = checkBundleText(text)
    expect(checked.ok ? [] : checked.faults.map((fault) => fault.path)).toEqual(['calendars[0].days'])
    expect(checkBundleText(`{"format":"bugle-bundle/1","zone":${'['.repeat(100_000)}${']'.repeat(100_000)}}`).ok).toBe(
      false,
    )
  })

  it('with __proto__ has an unknown key, and changes nothing', () => {
    const checked = checkBundleText(
      '{"format":"bugle-bundle/1","__proto__":{"zone":"x"},"jobs":[{"id":"j","locks":{"__proto__":1}}]}',
    )
    expect(new Set(checked.ok ? [] : checked.faults.map((fault) => fault.path))).toEqual(
      new Set(['__proto__', 'jobs[0].locks.__proto__']),
    )
    expect(({} as Record<string, unknown>).zone).toBeUndefined()
  })

  it('gets a thousand faults at most', () => {
    const faults = faultsOf({ ...BASE, calendars: Array.from({ length: 5000 }, () => ({ id: '!', days: {} })) })
    expect(faults).toHaveLength(1001)
    expect(faults.at(-1)?.message).toContain('more faults')
  })

  it('may have chains of 500 calendars, and no longer ones', () => {
    const chain = (n: number): object[] =>
      Array.from({ length: n }, (_, i) =>
        calendar(i === n - 1 ? { weekdays: ['MO'] } : { calendar: `c${i + 1}` }, `c${i}`),
      )
    expect(faultsOf({ ...BASE, calendars: chain(500) })).toEqual([])
    expect(faultsOf({ ...BASE, calendars: chain(20_000) })).toEqual([
      {
        path: expect.stringMatching(/^calendars\[\d+\]$/) as string,
        message: expect.stringContaining('500') as string,
      },
    ])
  })
})

describe('the JSON Schema', () => {
  it('is of 2020-12 and names the recursive rule once', () => {
    const schema = bundleJsonSchema() as { $schema: string; $defs: Record<string, unknown> }
    expect(schema.$schema).toBe('https://json-schema.org/draft/2020-12/schema')
    expect(Object.keys(schema.$defs)).toEqual(expect.arrayContaining(['DayRule', 'TimeRule']))
    expect(schema.$defs.DayRule).toMatchObject({ additionalProperties: false, minProperties: 1, maxProperties: 2 })
  })

  it.each([
    [{ time: { at: ['06:00'] } }, true],
    [{ backlog: { queue: 'refunds' } }, true],
    [{}, false],
    [{ time: { at: ['06:00'] }, call: {} }, false],
  ])('says of a trigger with %j whether it has one cause, as the check does: %s', (cause, isSound) => {
    const file = {
      format: 'bugle-bundle/1',
      queues: [{ id: 'refunds' }],
      jobs: [{ id: 'j' }],
      triggers: [{ id: 't', start: { job: 'j' }, ...cause }],
    }
    const fits = new Ajv2020({ strict: false, formats: { 'date-time': true } }).compile(bundleJsonSchema())
    expect([fits(file), checkBundle(file).ok]).toEqual([isSound, isSound])
  })
})

describe('graphs', () => {
  it('have their loops found, each once', () => {
    expect(loopsOf([[1], [2], [0], [3], [0]])).toEqual([[0, 1, 2], [3]])
    expect(loopsOf([[1, 2], [3], [3], []])).toEqual([])
  })

  it('have depths in nodes', () => {
    expect([...depthsOf([[1, 2], [3], [3], []])]).toEqual([3, 2, 2, 1])
  })
})

import { zoneOf, type Zone } from '../timing/zone'
import { triggerDefinitionSchema } from '../work/trigger'
import { replay, type Happened, type Replayed } from './replay'

const at = (time: string): string => `2027-03-09T${time}:00Z`
function played(definition: object, ...happened: Happened[]): [number, string | undefined][] {
  const { between, from, until, ...rest } = triggerDefinitionSchema.parse(definition)
  const days = { zone: zoneOf('Europe/London') as Zone, eligible: null, between, from, until }
  return replay(rest, days, happened).map(({ starts, why }: Replayed) => [starts, why])
}

it('a backlog starts what is missing, only at its times of the day', () => {
  const backlog = { queue: 'refunds', atLeast: 5, perRun: 5, most: 2 }
  expect(
    played(
      { backlog, between: { earliest: '06:00', latest: '22:00' } },
      { at: at('05:59'), waiting: 50 },
      { at: at('06:00'), waiting: 4 },
      { at: at('06:01'), waiting: 6 },
      { at: at('06:02'), waiting: 50, open: 2 },
    ),
  ).toEqual([
    [0, 'not at this time of the day'],
    [0, 'too little waits for more runs'],
    [2, undefined],
    [0, 'too little waits for more runs'],
  ])
})

it('a measure fires for each of a pool by itself', () => {
  const measure = { of: { pool: 'data' }, name: 'memory', above: 90, times: 2 }
  expect(
    played(
      { measure },
      { at: at('01:00'), value: 91, of: 'a' },
      { at: at('01:00'), value: 92, of: 'b' },
      { at: at('01:01'), value: 93, of: 'b' },
      { at: at('01:01'), value: 10, of: 'a' },
    ).map(([starts]) => starts),
  ).toEqual([0, 0, 1, 0])
})

it('files, calls and ends that fit wait for their time, and no more than the rate lets through', () => {
  const between = { earliest: '06:00', latest: '07:00' }
  expect(
    played(
      { file: { on: { agent: 'a' }, path: '/in/*.csv' }, between, atMost: { starts: 1, in: 'PT1H' } },
      { at: at('01:00'), file: '/in/a.csv' },
      { at: at('01:01'), file: '/in/a.csv.part' },
      { at: at('06:30'), file: '/in/b.csv' },
    ),
  ).toEqual([
    [1, 'waits until 2027-03-09T06:00:00.000Z'],
    [0, 'none of its files'],
    [0, 'as often as it may'],
  ])
  expect(
    played(
      { after: { work: 'x', when: 'failed' }, until: '2027-03-09' },
      { at: at('01:00'), state: 'succeeded' },
      { at: at('01:00'), state: 'lost' },
      { at: '2027-03-10T01:00:00Z', state: 'failed' },
    ),
  ).toEqual([
    [0, 'not failed'],
    [1, undefined],
    [0, 'not on this day'],
  ])
  expect(
    played(
      { call: { only: { '/x': 1 } } },
      { at: at('01:00'), body: { x: 1 } },
      { at: at('01:00'), body: {} },
      { at: at('01:00'), value: 1 },
    ),
  ).toEqual([
    [1, undefined],
    [0, 'none of the calls that count'],
    [0, 'not what this trigger waits for'],
  ])
})

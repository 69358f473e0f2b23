import { triggerDefinitionSchema } from '../work/trigger'
import { checkFile } from '../bundle/check'
import { sayEvent } from '../phrase/say-event'
import { kindFaults } from './kinds'

const backlog = { queue: 'refunds' }

it.each<[object, string[]]>([
  [{ time: { at: ['06:00'] } }, []],
  [{ backlog }, []],
  [{}, ['']],
  [{ backlog, call: {} }, ['call']],
  [{ time: { at: ['06:00'] }, atMost: { starts: 1, in: 'PT1H' } }, ['atMost']],
  [
    { after: { work: 'x' }, window: { earliest: '01:00', latest: '02:00' }, lateStart: 'PT1H' },
    ['window', 'lateStart'],
  ],
  [{ backlog, overlap: 'skip', waitMost: 2 }, ['overlap', 'waitMost']],
  [{ backlog, overlap: 'wait' }, []],
  [{ after: { work: 'x' }, with: { a: { from: '/x' }, b: 'y' } }, ['with.a']],
  [{ call: {}, with: { a: { from: '/x' } } }, []],
])('%j has faults at %j', (trigger, keys) => {
  expect(kindFaults(trigger as Record<string, unknown>).map(({ key }) => key)).toEqual(keys)
})

it('a definition is refused where its bundle is, and the other way round', () => {
  const refused = { backlog, time: { at: ['06:00'] } }
  expect(triggerDefinitionSchema.safeParse(refused).success).toBe(false)
  expect(triggerDefinitionSchema.parse({ after: { work: 'close' } }).after).toEqual({
    work: 'close',
    when: 'succeeded',
  })
})

const file = (trigger: object, more: object = {}): unknown => ({
  format: 'bugle-bundle/1',
  queues: [{ id: 'refunds' }],
  jobs: [{ id: 'refund' }, { id: 'close' }],
  triggers: [{ id: 't', start: { job: 'refund' }, ...trigger }],
  ...more,
})
const faultsOf = (raw: unknown): string[] => {
  const checked = checkFile(raw)
  return checked.ok ? [] : checked.faults.map(({ path, message }) => `${path}: ${message}`)
}

it.each<[object, string[]]>([
  [{ backlog: { queue: 'refunds', atLeast: 5 } }, []],
  [{ backlog: { queue: 'parcels' } }, ['triggers[0].backlog.queue: There is no queue parcels in this file.']],
  [{ after: { work: 'nightly' } }, ['triggers[0].after.work: There is no job and no flow nightly in this file.']],
  [
    { after: { work: 'refund' } },
    ['triggers[0].after.work: This would start itself again without end: refund → (t) → refund.'],
  ],
  [
    { call: { only: { 'data/x': 1 } } },
    ['triggers[0].call.only.data/x: Expected a JSON Pointer such as /data/vessel.'],
  ],
  [{}, ['triggers[0]: A trigger needs one of the keys time, backlog, measure, file, call, after.']],
])('a file with a trigger %j has the faults %j', (trigger, faults) => {
  expect(faultsOf(file(trigger))).toEqual(faults)
})

it('a ring over a flow’s step is found in a file, with its names', () => {
  const flows = [{ id: 'evening', steps: [{ id: 'a', job: 'close' }] }]
  const triggers = [{ id: 'again', start: { flow: 'evening' }, after: { work: 'close' } }]
  expect(faultsOf(file({}, { flows, triggers }))).toEqual([
    'triggers[0].after.work: This would start itself again without end: close → (again) → evening → close.',
  ])
})

it.each<[object, string]>([
  [
    { backlog: { queue: 'refunds', atLeast: 1, perRun: 1, most: 1 } },
    'when an item waits in Refunds, at most 1 at once',
  ],
  [
    { backlog: { queue: 'refunds', atLeast: 5, orOldest: 'PT1H30M', perRun: 10, most: 3 } },
    'when 5 items wait in Refunds or one has waited 1 hour 30 minutes, one run for each 10, at most 3 at once',
  ],
  [{ after: { work: 'close', when: 'succeeded' } }, 'after close has succeeded'],
  [
    {
      call: { only: {}, signed: true },
      between: { earliest: '06:00', latest: '22:00' },
      atMost: { starts: 2, in: 'P1D' },
    },
    'when it is called, between 06:00 and 22:00, no more than twice in 1 day',
  ],
  [
    { after: { work: 'close', when: 'failed' }, on: { weekdays: ['MO', 'FR'] }, notOn: { calendar: 'holidays' } },
    'after close has failed on Mondays and Fridays, never on “holidays”',
  ],
])('%j is said as %s', (event, sentence) => {
  const names = { queues: new Map([['refunds', 'Refunds']]) }
  expect(sayEvent(event, names, [{ id: 'holidays', title: 'Holidays' }])).toBe(sentence)
})

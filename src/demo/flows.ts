import type { z } from 'zod'
import { slugOf } from '@/core/schema/slug'
import type { flowDefinitionSchema } from '@/core/work/flow'
import { HARBOURS, type AREAS } from './scenario'

/** A flow of Marram Sound Ferries; its steps name jobs by their titles’ slugs. */
export interface DemoFlow {
  readonly title: string
  readonly slug: string
  readonly area: (typeof AREAS)[number]
  readonly notes: string
  readonly definition: z.input<typeof flowDefinitionSchema>
}

type Step = NonNullable<DemoFlow['definition']['steps']>[number]
const flow = (title: string, area: DemoFlow['area'], definition: DemoFlow['definition'], notes = ''): DemoFlow => ({
  title,
  slug: slugOf(title),
  area,
  definition,
  notes,
})
const step = (id: string, job: string, more: Partial<Step> = {}): Step => ({ id, job: slugOf(job), ...more })
const after = (...steps: string[]): Pick<Step, 'after'> => ({ after: steps.map((each) => ({ step: each })) })
const onDays = (calendar: string): Pick<Step, 'gate'> => ({ gate: { days: { calendar } } as never })

/** Flows that run in others come first. */
export const FLOWS: readonly DemoFlow[] = [
  flow(
    'Till files of all harbours',
    'Close of day',
    {
      steps: HARBOURS.map((harbour) =>
        step(harbour, 'Till file', {
          with: { harbour },
          // Tarn Head is often late: the night does not wait for it twice.
          ...(harbour === 'tarn' ? { onFailure: 'carryOn' as const, retry: { times: 4, delay: 'PT3M' } } : {}),
        }),
      ),
    },
    'The five tills, side by side. A file that Tarn Head does not send is made up for by hand.',
  ),
  flow(
    'Close of day',
    'Close of day',
    {
      steps: [
        { id: 'tills', flow: 'till-files-of-all-harbours' },
        step('reconcile', 'Reconcile fares', after('tills')),
        step('ledger', 'Post to ledger', after('reconcile')),
        step('statements', 'Month-end statements', { ...after('ledger'), ...onDays('month-end') }),
        step('returns', 'Quarter-end returns', { ...after('ledger'), ...onDays('quarter-end') }),
        step('pack', 'Year-end pack', { ...after('statements', 'returns'), ...onDays('year-end') }),
        step('mail', 'Mail to the office', after('ledger', 'statements', 'returns', 'pack')),
        step('ticket', 'Open a ticket', { with: { about: 'Close of day' } }),
      ],
      groups: [{ id: 'books', steps: ['tills', 'reconcile', 'ledger'], onFailure: { goTo: 'ticket' } }],
      priority: 'high',
    },
    'From the tills of the evening to the ledger; at the end of a month, quarter or year the papers too.',
  ),
  flow(
    'Sailing manifests',
    'Sailing',
    {
      inputs: [
        {
          name: 'harbour',
          title: 'Harbour',
          type: 'choice',
          options: ['orrin', 'stavin', 'brack', 'tarn'],
          default: 'orrin',
          ask: true,
        },
      ],
      steps: [
        step('bookings', 'Bookings'),
        step('names', 'Name list'),
        step('check', 'Name check', after('bookings', 'names')),
        step('manifest', 'Write the manifest', after('check')),
        step('count', 'Month-end count', { ...after('check'), ...onDays('month-end') }),
        step('signs', 'Signs on the quay', after('manifest')),
        step('reach', 'Reach the harbour', {
          ...after('manifest'),
          with: { harbour: '${harbour}' },
          onFailure: { goTo: 'ticket' },
        }),
        step('transfer', 'Harbour transfer', {
          ...after('reach'),
          with: { harbour: '${harbour}' },
          retry: { times: 3, delay: 'PT30S' },
          onFailure: { goTo: 'ticket' },
        }),
        step('receipt', 'File the receipt', after('transfer')),
        step('ticket', 'Open a ticket', { with: { about: 'Sailing manifests' } }),
        step('mail', 'Mail to the office', after('ticket')),
      ],
      priority: 'high',
    },
    'The harbour authority wants to know who is on board before the first sailing.',
  ),
  flow('Publish timetable', 'Sailing', {
    steps: [
      step('tides', 'Tide tables'),
      step('berths', 'Berth plan', after('tides')),
      step('rosters', 'Crew rosters', after('berths')),
      step('publish', 'Publish timetable', after('rosters')),
      step('signs', 'Signs on the quay', after('berths')),
      step('mail', 'Mail to the office', after('publish', 'signs')),
    ],
  }),
  flow('Overnight housekeeping', 'Housekeeping', {
    steps: [
      step('backup', 'Nightly backup'),
      step('indexes', 'Index care', { ...after('backup'), gate: { days: { weekdays: ['MO', 'WE', 'FR'] } } as never }),
      step('logs', 'Log clean-up', { onFailure: 'carryOn' }),
      step('check', 'Configuration check', after('logs')),
      step('lab', 'Restart of the lab', { after: [{ step: 'check' }, { step: 'backup', when: 'ended' }] }),
    ],
    priority: 'low',
  }),
  flow(
    'Harbour exchange',
    'Sailing',
    {
      steps: [
        step('sailings', 'Sailings of the day'),
        step('list', 'Passenger list', { ...after('sailings'), with: { boat: '${sailings.first}' } }),
        step('reach', 'Harbour within reach', { onFailure: { goTo: 'ticket' } }),
        step('send', 'List to the harbour', { ...after('list', 'reach'), onFailure: { goTo: 'ticket' } }),
        step('sign', 'Sign on the quay', {
          ...after('sailings'),
          with: { boat: '${sailings.first}' },
          onFailure: 'carryOn',
        }),
        step('word', 'Word to the harbour office', {
          ...after('send'),
          with: { files: '${send.files}', count: '${sailings.count}', boat: '${sailings.first}' },
        }),
        step('ticket', 'Ticket for the desk', { expect: 'PT2S' }),
      ],
    },
    'Runs for real, from the machine that runs this demo to the stand-ins beside it.',
  ),
  flow(
    'Sound watch',
    'Vessels',
    {
      steps: [
        step('radio', 'Radio round'),
        step('weather', 'Weather glance'),
        ...HARBOURS.map((harbour) =>
          step(`board-${harbour}`, 'Departure board', { ...after('radio', 'weather'), with: { harbour } }),
        ),
        step('signs', 'Signs on the quay', after(...HARBOURS.map((harbour) => `board-${harbour}`))),
        step('ticket', 'Open a ticket', { with: { about: 'Sound watch' } }),
      ],
      groups: [{ id: 'boards', steps: HARBOURS.map((harbour) => `board-${harbour}`), onFailure: { goTo: 'ticket' } }],
    },
    'Every half hour: what the vessels and the weather say, on the boards of all harbours.',
  ),
]

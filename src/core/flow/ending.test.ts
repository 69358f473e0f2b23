import { bundleSchema } from '../bundle/schema'
import { sayEnding } from './ending'
import { planOf } from './plan'
import { FlowRun, type Outcome } from './state'

const plan = planOf(
  bundleSchema.parse({
    format: 'bugle-bundle/1',
    zone: 'Europe/London',
    jobs: [{ id: 'j', title: 'J', kind: 'command', command: 'true' }],
    flows: [
      {
        id: 'f',
        title: 'F',
        steps: [
          { id: 'tills', job: 'j' },
          { id: 'signs', job: 'j', onFailure: 'carryOn' },
          { id: 'fares', job: 'j', after: [{ step: 'tills' }], onFailure: 'endFlow' },
          { id: 'post', job: 'j', after: [{ step: 'fares' }] },
        ],
      },
    ],
  }),
  'f',
)
const titles = ['Till files', 'Signs', 'Fares', 'Post']

type Given = Readonly<Record<string, Outcome | 'gate'>>

function ending(given: Given, stoppedBy: string | null = null): string {
  const run = new FlowRun(plan, ({ path }) => (given[path] === 'gate' ? 'gate' : 'open'))
  if (stoppedBy !== null) run.stop()
  for (let ahead = run.takeAhead(); ahead.length > 0; ahead = run.takeAhead())
    for (const index of ahead)
      run.end(index, (given[plan.steps[index]?.path ?? ''] as Outcome | undefined) ?? 'succeeded')
  return sayEnding(plan, run, titles, stoppedBy)
}

it.each<[string, Given, string | null]>([
  ['All that was to be done succeeded; 1 skipped.', { fares: 'gate' }, null],
  ['Every step succeeded.', { signs: 'failed' }, null],
  ['Till files failed.', { tills: 'failed', signs: 'failed' }, null],
  ['Fares failed.', { fares: 'failed' }, null],
  ['Cancelled: Fares.', { fares: 'cancelled' }, null],
  ['Stopped by Ines.', {}, 'Ines'],
])('says “%s”', (words, given, stoppedBy) => {
  expect(ending(given, stoppedBy)).toBe(words)
})

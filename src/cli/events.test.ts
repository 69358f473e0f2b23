import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Command } from 'commander'
import { addEventCommands } from './events'

const folder = mkdtempSync(join(tmpdir(), 'bugle-replay-'))
afterAll(() => rmSync(folder, { recursive: true }))
const file = (name: string, text: string): string => {
  writeFileSync(join(folder, name), text)
  return join(folder, name)
}
const BUNDLE = file(
  'b.json',
  JSON.stringify({
    format: 'bugle-bundle/1',
    zone: 'Europe/London',
    calendars: [{ id: 'work', days: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] } }],
    queues: [{ id: 'refunds' }],
    jobs: [{ id: 'refund' }],
    triggers: [
      {
        id: 'as-they-wait',
        start: { job: 'refund' },
        backlog: { queue: 'refunds', atLeast: 5 },
        on: { calendar: 'work' },
      },
      { id: 'daily', start: { job: 'refund' }, time: { at: ['06:00'] } },
    ],
  }),
)

async function bugle(...args: string[]): Promise<unknown> {
  const program = new Command().exitOverride()
  const printed: string[] = []
  const write = jest.spyOn(process.stdout, 'write').mockImplementation((text) => printed.push(String(text)) > 0)
  try {
    addEventCommands(program)
    await program.parseAsync(args, { from: 'user' })
  } finally {
    write.mockRestore()
  }
  return JSON.parse(printed.join('')) as unknown
}

it('says what each would have started', async () => {
  const lines = [
    { at: '2027-03-06T10:00:00Z', waiting: 9 },
    { at: '2027-03-08T10:00:00Z', waiting: 4 },
    { at: '2027-03-08T10:01:00Z', waiting: 5 },
  ]
  const events = file('e.jsonl', `${lines.map((line) => JSON.stringify(line)).join('\n')}\n\n`)
  expect(await bugle('replay', BUNDLE, '--trigger', 'as-they-wait', '--events', events)).toEqual([
    { at: '2027-03-06T10:00:00Z', starts: 0, why: 'not on this day' },
    { at: '2027-03-08T10:00:00Z', starts: 0, why: 'too little waits for more runs' },
    { at: '2027-03-08T10:01:00Z', starts: 1 },
  ])
})

it.each([
  ['as-they-wait', '{', '--events: line 1 is not JSON'],
  ['as-they-wait', '{"at": "yesterday", "waiting": 1}', 'Expected an instant'],
  [
    'as-they-wait',
    '{"at": "2027-03-08T10:00:00Z", "waiting": 1}\n{"at": "2027-03-08T09:00:00Z", "waiting": 1}',
    'line 2 comes before',
  ],
  ['nothing', '', 'there is no trigger nothing'],
  ['daily', '', 'goes by the clock'],
])('%s with %j is bad input', async (trigger, text, message) => {
  const events = file('bad.jsonl', text)
  await expect(bugle('replay', BUNDLE, '--trigger', trigger, '--events', events)).rejects.toThrow(message)
})

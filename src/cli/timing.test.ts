import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Command } from 'commander'
import { BadInput } from './bad-input'
import { addTimingCommands, TIMING_COMMANDS } from './timing'

const folder = mkdtempSync(join(tmpdir(), 'bugle-cli-'))
const file = (name: string, content: unknown): string => {
  const path = join(folder, name)
  writeFileSync(path, typeof content === 'string' ? content : JSON.stringify(content))
  return path
}
afterAll(() => rmSync(folder, { recursive: true }))

const BUNDLE = file('good.bugle.json', {
  format: 'bugle-bundle/1',
  zone: 'Europe/London',
  calendars: [
    { id: 'working-days', days: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] } },
    { id: 'month-end', days: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } } },
  ],
  jobs: [{ id: 'j' }],
  triggers: [
    { id: 'close', start: { job: 'j' }, time: { at: ['01:30'] }, on: { calendar: 'month-end' } },
    { id: 'often', start: { job: 'j' }, time: { every: { step: 'PT1S' } }, enabled: false },
    { id: 'tarn', start: { job: 'j' }, time: { at: ['06:00'] }, zone: 'Europe/Oslo' },
  ],
})

async function bugle(...args: string[]): Promise<unknown> {
  const program = new Command().exitOverride((error) => {
    throw error
  })
  program.configureOutput({ writeErr: () => undefined })
  const printed: string[] = []
  const write = jest.spyOn(process.stdout, 'write').mockImplementation((text) => printed.push(String(text)) > 0)
  try {
    addTimingCommands(program, (value) => void printed.push(JSON.stringify(value)))
    for (const command of program.commands) command.exitOverride().configureOutput({ writeErr: () => undefined })
    await program.parseAsync(args, { from: 'user' })
  } finally {
    write.mockRestore()
  }
  return JSON.parse(printed.join('')) as unknown
}

describe('bugle on a file', () => {
  it('prints occurrences of one trigger, from included, to excluded', async () => {
    expect(
      await bugle(
        'occurrences',
        BUNDLE,
        '--trigger',
        'close',
        '--from',
        '2027-03-31T00:30:00Z',
        '--to',
        '2027-04-30T00:30:00Z',
      ),
    ).toEqual([{ at: '2027-03-31T00:30:00Z', local: '2027-03-31T01:30:00+01:00' }])
  })

  it('prints those of every enabled trigger, and of one that is not', async () => {
    const all = (await bugle(
      'occurrences',
      BUNDLE,
      '--all',
      '--from',
      '2027-03-01T00:00:00Z',
      '--to',
      '2027-03-02T00:00:00Z',
    )) as object
    expect(all).toEqual({ close: [], tarn: [{ at: '2027-03-01T05:00:00Z', local: '2027-03-01T06:00:00+01:00' }] })
    const some = await bugle(
      'occurrences',
      BUNDLE,
      '--trigger',
      'often',
      '--from',
      '2027-01-01T00:00:00+01:00',
      '--to',
      '9999-12-31T00:00:00Z',
      '--limit',
      '2',
    )
    expect(some).toEqual([
      { at: '2026-12-31T23:00:00Z', local: '2026-12-31T23:00:00+00:00' },
      { at: '2026-12-31T23:00:01Z', local: '2026-12-31T23:00:01+00:00' },
    ])
  })

  it('prints days, of one calendar and of all', async () => {
    expect(
      await bugle('days', BUNDLE, '--calendar', 'month-end', '--from', '2027-01-29', '--to', '2027-02-26'),
    ).toEqual(['2027-01-29', '2027-02-26'])
    expect(await bugle('days', BUNDLE, '--all', '--from', '2027-01-29', '--to', '2027-01-29')).toEqual({
      'working-days': ['2027-01-29'],
      'month-end': ['2027-01-29'],
    })
  })

  it('explains a day', async () => {
    expect(await bugle('explain', BUNDLE, '--calendar', 'month-end', '--day', '2027-01-29')).toMatchObject({
      day: '2027-01-29',
      in: true,
      because: { rule: 'nth', in: true },
    })
  })

  it('reads a phrase, with the calendars of a bundle', async () => {
    expect(await bugle('phrase', 'last working day of the month at 18:30', '--bundle', BUNDLE)).toEqual({
      on: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } },
      time: { at: ['18:30'] },
      says: 'at 18:30 on the last working day of the month',
    })
  })

  it('checks, and prints the schema', async () => {
    expect(await bugle('check', BUNDLE)).toEqual({ ok: true })
    expect(await bugle('schema')).toMatchObject({ $schema: 'https://json-schema.org/draft/2020-12/schema' })
    expect(TIMING_COMMANDS).toHaveLength(6)
  })

  const stretch = ['--from', '2027-01-01T00:00:00Z', '--to', '2027-02-01T00:00:00Z']
  it.each([
    [['occurrences', BUNDLE, '--trigger', 'x', ...stretch], '--trigger'],
    [['occurrences', BUNDLE, ...stretch], '--all'],
    [['occurrences', BUNDLE, '--all', '--trigger', 'close', ...stretch], 'not both'],
    [['occurrences', BUNDLE, '--all', '--from', '2027-01-01', '--to', '2027-02-01T00:00:00Z'], '--from'],
    [['occurrences', BUNDLE, '--all', '--from', '2027-01-01T00:00:00', '--to', '2027-02-01T00:00:00Z'], '--from'],
    [['occurrences', BUNDLE, '--all', '--from', '2027-02-30T00:00:00Z', '--to', '2027-03-01T00:00:00Z'], '--from'],
    [
      ['occurrences', BUNDLE, '--all', '--from', '2027-02-01T00:00:00Z', '--to', '2027-01-01T00:00:00Z'],
      '--to comes before',
    ],
    [['occurrences', BUNDLE, '--trigger', 'close', ...stretch, '--limit', '0'], '--limit'],
    [['occurrences', BUNDLE, '--trigger', 'often', ...stretch], '--limit N'],
    [['occurrences', BUNDLE, '--all', '--from', '2027-01-01T00:00:00Z'], '--to'],
    [['days', BUNDLE, '--calendar', 'x', '--from', '2027-01-01', '--to', '2027-01-02'], '--calendar'],
    [['days', BUNDLE, '--all', '--from', '2027-01-02', '--to', '2027-01-01'], '--to comes before'],
    [['days', BUNDLE, '--all', '--from', '2027-01-01', '--to', '2400-01-01'], '--limit N'],
    [['explain', BUNDLE, '--calendar', 'month-end', '--day', '2027-02-30'], '--day'],
    [['explain', BUNDLE, '--day', '2027-02-03'], '--calendar'],
    [['phrase', 'at 17:00 on wrokdays'], 'character 13'],
    [['check', join(folder, 'nowhere.json')], 'cannot be read'],
    [
      [
        'days',
        file('bad.json', '{"format":"bugle-bundle/1","x":1}'),
        '--all',
        '--from',
        '2027-01-01',
        '--to',
        '2027-01-02',
      ],
      'x: The key x is not known here.',
    ],
  ])('%j is bad input: %s', async (args, said) => {
    const failed = bugle(...args)
    await expect(failed).rejects.toBeInstanceOf(BadInput)
    await expect(failed).rejects.toThrow(said)
  })

  it('an empty stretch is no fault', async () => {
    expect(
      await bugle(
        'occurrences',
        BUNDLE,
        '--trigger',
        'tarn',
        '--from',
        '2027-01-01T05:00:00Z',
        '--to',
        '2027-01-01T05:00:00Z',
      ),
    ).toEqual([])
  })

  it('an unknown option or command is commander’s to refuse', async () => {
    await expect(bugle('days', BUNDLE, '--colour')).rejects.toMatchObject({ code: 'commander.unknownOption' })
    await expect(bugle('nonsense')).rejects.toMatchObject({ code: 'commander.unknownCommand' })
  })
})

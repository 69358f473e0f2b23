import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { triggerDefinitionSchema, type TriggerDefinition } from '@/core/work/trigger'
import type { CalendarRow } from '@/service/timing/calendars'
import type { TriggerFull } from '@/service/timing/triggers'
import type { JobRow } from '@/service/work/work'
import { changesOf, choose, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { expectKept } from '@/ui/typed.test-help'
import { contentOf } from './content'
import { TriggerEditor } from './trigger-editor'

const CALENDARS = [
  { id: 1, slug: 'working-days', title: 'Working days' },
  { id: 2, slug: 'office-holidays', title: 'Office holidays' },
] as unknown as CalendarRow[]
const JOBS = [
  { id: 9, title: 'Freight invoicing', area: 'Freight' },
  { id: 10, title: 'Name check', area: 'Sailing' },
  { id: 11, title: 'Close of day', area: 'Fares', isFlow: true },
] as unknown as JobRow[]
const define = (change: object): TriggerDefinition =>
  triggerDefinitionSchema.parse({ time: { at: ['17:00'] }, zone: 'Europe/London', ...change })
const trigger = (definition: object = {}): TriggerFull =>
  ({
    id: 1,
    title: 'Freight invoicing',
    notes: '',
    jobId: 9,
    enabled: true,
    version: 3,
    savedBy: 'Ines Aldaya',
    definition: define(definition),
  }) as unknown as TriggerFull
const preview = (change: object = {}): object => ({
  says: '',
  next: [{ at: '2027-03-09T17:00:00.000Z', day: '2027-03-09', clock: null }],
  changes: null,
  facts: { warnings: [], runsPerDay: 1, machines: 3 },
  clockDates: [],
  load: null,
  faults: [],
  ...change,
})
const SERVER = {
  'GET /startables/9': { id: 9, inputs: [] },
  'GET /startables/10': {
    id: 10,
    inputs: [{ name: 'port', title: 'Port', type: 'choice', options: ['a', 'b'], default: 'a', ask: true }],
  },
  'GET /startables/11': { id: 11, inputs: [] },
  'POST /triggers/preview': preview(),
  'PUT /triggers/1': { version: 4 },
  'POST /triggers': { id: 55 },
}
function edit(one: TriggerFull | null, more: object = {}, role: 'designer' | 'operator' = 'designer'): Asked[] {
  const initial = one
    ? contentOf(one)
    : { title: '', notes: '', jobId: 0, enabled: true, definition: define({ time: { at: ['06:00'] } }) }
  return show(
    <TriggerEditor trigger={one} initial={initial} calendars={CALENDARS} jobs={JOBS} />,
    { ...SERVER, ...more },
    { role },
  )
}
const phrase = (): string => (screen.getByRole('textbox', { name: 'In words' }) as HTMLInputElement).value
const saved = async (asked: Asked[]): Promise<TriggerDefinition> => {
  await press('Save')
  await waitFor(() => expect(changesOf(asked).some(({ what }) => what === 'PUT /triggers/1')).toBe(true))
  const put = changesOf(asked).find(({ what }) => what === 'PUT /triggers/1')
  return (put?.body as { definition: TriggerDefinition }).definition
}

describe('what a trigger gives', () => {
  it('is asked for as a trigger starts it, not as the person who looks at it would', async () => {
    const asked = edit(trigger())
    await waitFor(() => expect(asked.some(({ what }) => what.startsWith('GET /startables/'))).toBe(true))
    const starters = asked.filter(({ what }) => what.startsWith('GET /startables/')).map(({ query }) => query.starter)
    expect(new Set(starters)).toEqual(new Set(['trigger']))
  })
})

describe('phrase and form of a trigger', () => {
  it('are in step: words change the form', async () => {
    const asked = edit(trigger())
    expect(phrase()).toBe('at 17:00 every day')
    type('In words', 'every 15 minutes between 06:00 and 22:00 on working days except office holidays')
    expect(screen.getByRole('button', { name: /again and again/ })).toBeTruthy()
    expect(screen.getByText('Never on')).toBeTruthy()
    expect(await saved(asked)).toMatchObject({
      time: { every: { step: 'PT15M', from: '06:00', until: '22:00' } },
      on: { calendar: 'working-days' },
      notOn: { calendar: 'office-holidays' },
      zone: 'Europe/London',
    })
  })

  it('are in step: the form changes the words', async () => {
    const asked = edit(trigger({ on: { calendar: 'working-days' } }))
    type('Times of day', '5:30 pm, noon')
    expect(phrase()).toBe('at 12:00 and 17:30 on working days')
    await choose(/Kind of rule/, 'by a cron line')
    expect(phrase()).toContain('06:00')
    await choose(/Kind of rule/, 'again and again')
    await waitFor(() => expect(phrase()).toBe('every 15 minutes on working days'))
    await press('On every day')
    expect(phrase()).toBe('every 15 minutes')
    expect(await saved(asked)).toEqual(define({ time: { every: { step: 'PT15M' } } }))
  })

  it('is not saved while the words are not understood; the form stays as it was', async () => {
    const asked = edit(trigger())
    type('In words', 'every day at 25:00')
    expect(screen.getByRole('textbox', { name: 'In words' }).getAttribute('aria-invalid')).toBe('true')
    expect((screen.getByRole('textbox', { name: 'Times of day' }) as HTMLInputElement).value).toBe('17:00')
    type('Title', 'Another title')
    await press('Save')
    expect(await screen.findByText(/nothing is saved/)).toBeTruthy()
    expect(changesOf(asked).some(({ what }) => what.startsWith('PUT'))).toBe(false)
    // What the form says counts again once it is changed there.
    type('Times of day', '18:00')
    expect(phrase()).toBe('at 18:00 every day')
  })
})

describe('a trigger’s page', () => {
  it('shows the clock-change rule only where it will matter, with the dates', async () => {
    edit(trigger(), {
      'POST /triggers/preview': preview({
        clockDates: [{ at: '2027-03-28T01:00:00.000Z', bySeconds: 3600, what: 'gap' }],
      }),
    })
    expect(await screen.findByText('next on Sun 28 Mar 2027')).toBeTruthy()
    expect(screen.getByText('Where the clock skips its time')).toBeTruthy()
    expect(screen.queryByText('Where its time comes twice')).toBeNull()
    edit(trigger())
    await screen.findByText(/coming start/)
    expect(screen.queryByText('Where the clock skips its time')).toBeNull()
  })

  it('lists the coming starts, local and UTC, and marks those that a clock change touches', async () => {
    edit(trigger(), {
      'POST /triggers/preview': preview({
        next: [
          { at: '2027-03-27T00:30:00.000Z', day: '2027-03-27', clock: null },
          { at: '2027-03-28T01:30:00.000Z', day: '2027-03-28', clock: 'moved' },
          { at: '2027-10-31T00:30:00.000Z', day: '2027-10-31', clock: 'doubled' },
        ],
      }),
    })
    const table = await screen.findByRole('table')
    const rows = within(table)
      .getAllByRole('row')
      .slice(1)
      .map((row) => row.textContent)
    expect(rows[1]).toBe('Sun 28 Mar 02:3001:30moved by the clock change')
    expect(rows[2]).toBe('Sun 31 Oct 01:3000:30its time comes twice')
  })

  it('says before saving what changes, and what to think about', async () => {
    edit(trigger(), {
      'POST /triggers/preview': preview({
        changes: { added: [], dropped: ['2027-03-09T17:00:00.000Z'], moved: [] },
        facts: { warnings: ['This rule has no occurrence in the next 20 years.'], runsPerDay: 0, machines: 3 },
        next: [],
      }),
    })
    expect(await screen.findByText('This rule has no occurrence in the next 20 years.')).toBeTruthy()
    expect(screen.queryByText(/^Saving this/)).toBeNull()
    type('In words', 'every day at 18:00')
    expect(await screen.findByText('Saving this: 1 dropped')).toBeTruthy()
    expect(screen.getByText('It starts nothing in the next five years.')).toBeTruthy()
  })

  it('takes deadline, window, allowance, overlap, machines and priority', async () => {
    const asked = edit(trigger())
    type('Finish by', '19:30')
    type('Earliest', '16:30')
    type('Latest', '18:00')
    type('Late start allowance, minutes', '20')
    await choose(/If the run before still goes on/, 'leave this start out')
    await choose(/^Machines|one machine of the target/, 'every machine of the target')
    await choose(/as the job says/, 'high')
    await choose(/once for all/, 'each that was missed')
    expect(await saved(asked)).toMatchObject({
      finishBy: '19:30',
      window: { earliest: '16:30', latest: '18:00' },
      lateStart: 'PT20M',
      overlap: 'skip',
      spread: 'each',
      priority: 'high',
      makeUp: 'each',
    })
  })

  it('starts a flow once, whose steps go to their own machines', async () => {
    const asked = edit(trigger({ spread: 'each' }))
    expect(screen.getByRole('button', { name: /every machine of the target/ })).toBeTruthy()
    await choose(/Freight invoicing · Freight/, /Close of day/)
    expect(screen.queryByRole('button', { name: /machine of the target/ })).toBeNull()
    await choose(/as the flow says/, 'low')
    expect(await saved(asked)).toMatchObject({ spread: 'one', priority: 'low' })
  })

  it('says a start in UTC beside its own zone, and once where that is UTC', async () => {
    edit(trigger())
    expect(await screen.findByRole('columnheader', { name: 'UTC' })).toBeTruthy()
    expect(screen.getByRole('columnheader', { name: 'London' })).toBeTruthy()
    edit(trigger({ zone: 'UTC' }))
    expect(await screen.findAllByRole('columnheader', { name: 'UTC' })).toHaveLength(1)
  })

  it('names what is not right, at its place, and saves nothing', async () => {
    const asked = edit(trigger())
    type('Late start allowance, minutes', 'soon')
    expect(await screen.findByText('A number of minutes.')).toBeTruthy()
    type('Title', '')
    await press('Save')
    expect(await screen.findByText('2 things are not right yet.')).toBeTruthy()
    expect(changesOf(asked).some(({ what }) => what.startsWith('PUT'))).toBe(false)
  })

  it('is called like its job until it has a title, asks for the job’s inputs, and opens once made', async () => {
    const asked = edit(null)
    await choose(/Choose a job/, /Freight invoicing/)
    await choose(/Freight invoicing · Freight/, /Name check/)
    expect((screen.getByRole('textbox', { name: 'Title' }) as HTMLInputElement).value).toBe('Name check')
    expect(await screen.findByText(/Port/)).toBeTruthy()
    type('In words', 'Mondays at 12:00')
    await press('Save')
    await waitFor(() => expect(window.location.pathname).toBe('/timing/triggers/55'))
    expect(changesOf(asked).find(({ what }) => what === 'POST /triggers')?.body).toMatchObject({
      title: 'Name check',
      jobId: 10,
      sure: false,
      definition: { time: { at: ['12:00'] }, on: { weekdays: ['MO'] } },
    })
  })

  it('shows both versions when somebody else has saved it meanwhile', async () => {
    const theirs = { ...trigger({ time: { at: ['19:00'] } }), version: 5, savedBy: 'Hallam Reid' }
    let sent = 0
    const asked = edit(trigger(), {
      'PUT /triggers/1': () =>
        sent++ === 0
          ? new No(409, { type: 'urn:bugle:problem:conflict', title: 'Changed', detail: 'Saved meanwhile.', theirs })
          : { version: 6 },
    })
    type('Title', 'Mine')
    await press('Save')
    expect((await screen.findAllByText(/Hallam Reid/)).length).toBeGreaterThan(0)
    fireEvent.click(screen.getByRole('button', { name: 'Save mine over it' }))
    await waitFor(() => expect(changesOf(asked).filter(({ what }) => what.startsWith('PUT'))).toHaveLength(2))
    expect((changesOf(asked).at(-1)?.body as { version: number }).version).toBe(5)
  })

  it('may be read by an operator, who is told why it cannot be changed', async () => {
    edit(trigger(), {}, 'operator')
    expect((await screen.findAllByText(/designer/)).length).toBeGreaterThan(0)
    expect(screen.getByRole('group', { name: 'In words' }).textContent).toMatch(/^In words./)
    expect(screen.queryByRole('textbox')).toBeNull()
  })
})

describe('whatever is typed into a trigger', () => {
  it.each<[string, object]>([
    ['that starts at times', { lateStart: 'PT20M', finishBy: '18:30' }],
    ['that starts every so often', { time: { every: { step: 'PT15M', from: '06:00', until: '22:00' } } }],
    ['with a cron line', { time: { cron: '0 6 * * *' } }],
  ])(
    '%s is saved as it stands there, or refused at its place',
    async (_, change) => {
      await expectKept<object>(
        (body) => edit(body ? { ...trigger(change), ...body } : trigger(change)),
        'PUT /triggers/1',
        // The phrase and the form are two ways to write one rule: what is typed into one changes the other.
        { seed: 11, notAsked: ['In words'] },
      )
    },
    300_000,
  )
})

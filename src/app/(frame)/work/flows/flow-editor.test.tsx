import { act, fireEvent, screen, waitFor, within } from '@testing-library/react'
import { flowDefinitionSchema, type FlowContent, type FlowDefinition } from '@/core/work/flow'
import type { FlowFull, FlowMaterial } from '@/service/work/flows'
import { changesOf, choose, No, press, show, type, type Asked, typeDay } from '@/ui/screen.test-help'
import { FlowEditor } from './flow-editor'

const define = (steps: object[], more: object = {}): FlowDefinition => flowDefinitionSchema.parse({ steps, ...more })
const job = (slug: string, usualMs: number | null, inputs: object[] = []): FlowMaterial['jobs'][number] =>
  ({
    slug,
    id: slug.length,
    title: slug[0]?.toUpperCase() + slug.slice(1),
    area: 'Sailing',
    active: true,
    usualMs,
    inputs,
  }) as never
const MATERIAL: FlowMaterial = {
  jobs: [job('bookings', 120_000), job('check', 300_000), job('ticket', 6000), job('signs', 60_000)],
  flows: [
    {
      slug: 'boards',
      id: 90,
      title: 'Boards',
      area: 'Sailing',
      active: true,
      definition: define([{ id: 'one', job: 'signs' }]),
    },
  ],
  calendars: [{ slug: 'month-end', title: 'Month-end close' }],
  shared: {},
}
const DEFINITION = define([
  { id: 'bookings', job: 'bookings' },
  { id: 'check', job: 'check', after: [{ step: 'bookings' }], onFailure: { goTo: 'ticket' } },
  { id: 'signs', flow: 'boards', after: [{ step: 'check' }] },
  { id: 'ticket', job: 'ticket' },
])
const flow = (definition: FlowDefinition): FlowFull => ({
  id: 46,
  slug: 'sailing-manifests',
  title: 'Sailing manifests',
  notes: '',
  areaId: 2,
  area: 'Sailing',
  active: true,
  version: 3,
  usualMs: null,
  savedBy: 'Ines Aldaya',
  savedAt: '2027-03-09T02:00:00Z',
  definition,
})
const SERVER = {
  'GET /areas': [{ id: 2, title: 'Sailing', path: 'Sailing', notes: '', jobs: 3, may: 'design' }],
  'GET /drifts': [{ jobId: 'ticket'.length, change: -0.2, days: 40, count: 30 }],
  'PUT /flows/46': { version: 4 },
  'POST /flows/gates': { open: [false] },
}
function edit(
  definition: FlowDefinition = DEFINITION,
  more: object = {},
  options: Parameters<typeof show>[2] = {},
): Asked[] {
  const { title, notes, areaId, active } = flow(definition)
  const initial: FlowContent = { title, notes, areaId, active, definition }
  return show(
    <FlowEditor flow={flow(definition)} initial={initial} material={MATERIAL} />,
    { ...SERVER, ...more },
    { at: '/work/flows/46', ...options },
  )
}
async function saved(asked: Asked[]): Promise<FlowDefinition> {
  await press('Save')
  await waitFor(() => expect(changesOf(asked).some(({ what }) => what === 'PUT /flows/46')).toBe(true))
  return (changesOf(asked).find(({ what }) => what === 'PUT /flows/46')?.body as { definition: FlowDefinition })
    .definition
}
const bars = (): string[] =>
  screen
    .getAllByRole('img')
    .flatMap((bar) => (bar.id.startsWith('step-') ? [bar.getAttribute('aria-label') ?? ''] : []))
const list = (): string[] =>
  within(screen.getByRole('list', { name: 'Steps' }))
    .getAllByRole('button')
    .map((button) => button.textContent ?? '')
const line = (id: string): HTMLElement =>
  within(screen.getByRole('list', { name: 'Steps' })).getByRole('button', { name: new RegExp(`^${id} ?[A-Z]`) })

describe('the editor of a flow', () => {
  it('shows the flow as it usually goes: picture, list, length, what decides it, and what has drifted', async () => {
    edit()
    expect(await screen.findByRole('img', { name: 'Ticket, 0:06 · quicker: −20 % in 40 days' })).toBeTruthy()
    expect(bars()).toEqual([
      'Bookings, 2:00',
      'Check, 5:00',
      'Boards, 1:00',
      'Signs, 1:00',
      'Ticket, 0:06 · quicker: −20 % in 40 days',
    ])
    expect(list()).toEqual([
      'bookingsBookings',
      'checkCheck · after bookings',
      'signsBoards · after check',
      'ticketTicket',
    ])
    // What only a failure leads to makes it no longer.
    expect(screen.getByText(/usually takes/).textContent).toBe(
      'usually takes 8:00 · decided by bookings → check → signs/one',
    )
  })

  it('adds a step on its own and before another, and takes one out; all can be undone', async () => {
    const asked = edit()
    const add = async (how: RegExp | null, title: string): Promise<void> => {
      await press('Add a step')
      const dialog = await screen.findByRole('dialog')
      fireEvent.change(within(dialog).getByRole('searchbox'), { target: { value: title } })
      if (how) await choose(/It comes/, how)
      fireEvent.click(await within(dialog).findByText(title))
      await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    }
    await add(null, 'Signs')
    expect(list().at(-1)).toBe('signs-2Signs')
    fireEvent.click(line('check'))
    await add(/^before check/, 'Ticket')
    fireEvent.keyDown(line('signs-2'), { key: 'Delete' })
    expect(list().some((line) => line.startsWith('signs-2'))).toBe(false)
    await press('Undo')
    expect(list().some((line) => line.startsWith('signs-2'))).toBe(true)
    await press('Do again')
    const { steps } = await saved(asked)
    const after = (id: string): string[] | undefined =>
      steps.find((step) => step.id === id)?.after?.map((link) => link.step)
    expect([after('ticket-2'), after('check')]).toEqual([['bookings'], ['ticket-2']])
    expect(steps.map(({ id }) => id)).not.toContain('signs-2')
  })

  it('adds by keys alone, while another step is chosen, and gives the focus back', async () => {
    const asked = edit()
    const button = screen.getByRole('button', { name: 'Add a step' })
    const begin = async (): Promise<HTMLElement> => {
      act(() => button.focus())
      await press('Add a step')
      const field = within(await screen.findByRole('dialog')).getByRole('searchbox')
      // For a press without keys or mouse, as here, the focus follows with the next frame.
      await waitFor(() => expect(document.activeElement).toBe(field))
      return field
    }
    fireEvent.submit(await begin())
    expect(screen.getByRole('dialog')).toBeTruthy()
    fireEvent.keyDown(document.activeElement as Element, { key: 'Escape' })
    expect([screen.queryByRole('dialog'), document.activeElement]).toEqual([null, button])
    const field = await begin()
    fireEvent.click(line('ticket'))
    fireEvent.change(field, { target: { value: 'si' } })
    fireEvent.submit(field)
    await waitFor(() => expect(list().at(-1)).toBe('signs-2Signs · after ticket'))
    fireEvent.keyDown(await begin(), { key: 'ArrowDown' })
    expect(document.activeElement?.textContent).toBe('BookingsjobSailing')
    fireEvent.keyDown(document.activeElement as Element, { key: 'Enter' })
    expect(document.activeElement).toBe(button)
    const { steps } = await saved(asked)
    expect(steps.find(({ id }) => id === 'bookings-2')?.after).toEqual([{ step: 'signs-2', when: 'succeeded' }])
  })

  it('keeps the focus where it is when the first step comes', async () => {
    edit(define([]))
    expect(screen.getByText('The picture grows with the steps.')).toBeTruthy()
    const button = screen.getByRole('button', { name: 'Add a step' })
    act(() => button.focus())
    await press('Add a step')
    fireEvent.click(within(await screen.findByRole('dialog')).getByText('Signs'))
    expect(await screen.findByRole('img', { name: /^Signs/ })).toBeTruthy()
    expect(document.activeElement).toBe(button)
  })

  it('sets a gate by one choice, takes it away again, and leaves a flow alone while no step is chosen', async () => {
    const gate = { days: { weekdays: ['MO'] } }
    const asked = edit(define(DEFINITION.steps.map((step) => (step.id === 'signs' ? { ...step, gate } : step))))
    const open = async (): Promise<HTMLElement> => {
      await press('Set a gate')
      return screen.findByRole('dialog', { name: 'Set a gate' })
    }
    fireEvent.click(within(await open()).getByText('Always'))
    expect(screen.getByRole('dialog', { name: 'Set a gate' })).toBeTruthy()
    fireEvent.click(line('ticket'))
    const rows = within(await open()).getAllByRole('row')
    const wanted = rows.find(({ textContent }) => textContent?.startsWith('Month-end close')) as HTMLElement
    fireEvent.keyDown(wanted, { key: 'Enter' })
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(screen.getByRole('textbox', { name: 'Days, in words' })).toHaveProperty('value', '“Month-end close” days')
    fireEvent.click(line('signs'))
    fireEvent.click(within(await open()).getByText('Always'))
    const gates = (await saved(asked)).steps.flatMap((step) => (step.gate ? [[step.id, step.gate]] : []))
    expect(gates).toEqual([['ticket', { days: { calendar: 'month-end' } }]])
  })

  it('links and joins a step in sentences', async () => {
    const asked = edit(undefined, {}, { at: '/work/flows/46?step=signs' })
    await choose(/^wait for …|Wait for another step/, 'bookings')
    await choose(/all of these/, 'any one of these')
    await choose(/How check must have ended/, 'is over, even if passed over')
    expect((await saved(asked)).steps.find(({ id }) => id === 'signs')).toMatchObject({
      join: 'any',
      after: [
        { step: 'check', when: 'over' },
        { step: 'bookings', when: 'succeeded' },
      ],
    })
  })

  it('retries, routes, groups and renames a step in sentences, the name wherever it stands', async () => {
    const asked = edit(undefined, {}, { at: '/work/flows/46?step=bookings' })
    await choose(/as its job says/, 'this often:')
    type('Times', '3')
    type('Delay', '90 s')
    await choose(/the flow fails/, 'carry on as if it had succeeded')
    type('Group', 'begin')
    fireEvent.blur(screen.getByRole('textbox', { name: 'Group' }))
    type('Step', 'seats')
    fireEvent.blur(screen.getByRole('textbox', { name: 'Step' }))
    const { steps, groups } = await saved(asked)
    expect(steps.find(({ id }) => id === 'seats')).toMatchObject({
      retry: { times: 3, delay: 'PT1M30S' },
      onFailure: 'carryOn',
    })
    expect(groups).toMatchObject([{ id: 'begin', steps: ['seats'] }])
    expect(steps.find(({ id }) => id === 'check')?.after).toMatchObject([{ step: 'seats' }])
  })

  it('lists what is wrong, each leading to its place, and saves nothing until it is right', async () => {
    const broken = define([
      { id: 'bookings', job: 'gone' },
      { id: 'check', job: 'check', after: [{ step: 'nowhere' }] },
    ])
    const asked = edit(broken, {
      'PUT /flows/46': new No(400, {
        title: 'No',
        detail: 'Two things are not right.',
        errors: [{ path: 'definition.steps[0].job', message: 'There is no job gone.' }],
      }),
    })
    fireEvent.click(screen.getByRole('tab', { name: 'Problems 2' }))
    expect(screen.getByText(/gone/)).toBeTruthy()
    fireEvent.click(within(screen.getByRole('tabpanel')).getByRole('button', { name: 'check' }))
    expect(window.location.search).toContain('step=check')
    type('Title', 'Other')
    await press('Save')
    expect(changesOf(asked).filter(({ what }) => what === 'PUT /flows/46')).toHaveLength(1)
    expect(await screen.findByText(/not saved yet/)).toBeTruthy()
  })

  it('rehearses a day and failures before anything runs', async () => {
    const gated = define([
      { id: 'bookings', job: 'bookings' },
      { id: 'check', job: 'check', after: [{ step: 'bookings' }], gate: { days: { calendar: 'month-end' } } },
      { id: 'ticket', job: 'ticket', after: [{ step: 'bookings', when: 'failed' }] },
    ])
    const asked = edit(gated, {}, { at: '/work/flows/46?tab=rehearse&step=bookings' })
    await typeDay('On the day', '2027-03-09')
    await waitFor(() =>
      expect(bars()).toEqual([
        'Bookings, succeeded, 2:00',
        'Check, skipped, gate closed',
        'Ticket, skipped, passed over',
      ]),
    )
    expect(asked.findLast(({ what }) => what === 'POST /flows/gates')?.body).toEqual({
      day: '2027-03-09',
      rules: [{ calendar: 'month-end' }],
    })
    await choose(/What becomes of bookings|succeeds/, /^fails/)
    await waitFor(() => expect(bars()[2]).toBe('Ticket, succeeded, 0:06'))
    expect(screen.getByText(/In this order/).textContent).toContain('bookings, ticket')
    await press('All succeed again')
    await waitFor(() => expect(bars()[2]).toBe('Ticket, skipped, passed over'))
    expect(changesOf(asked).every(({ what }) => what === 'POST /flows/gates')).toBe(true)
  })

  it('travels by arrow keys along links and lanes, and finds a step', async () => {
    edit()
    const picture = screen.getByRole('application')
    const chosen = (): string | null => new URLSearchParams(window.location.search).get('step')
    const keys = (...all: string[]): void => all.forEach((key) => fireEvent.keyDown(picture, { key }))
    keys('Home')
    expect(chosen()).toBe('bookings')
    keys('ArrowRight')
    expect(chosen()).toBe('check')
    keys('ArrowRight', 'ArrowRight')
    expect(chosen()).toBe('signs/one')
    expect(screen.getByText(/lies in the flow Boards/)).toBeTruthy()
    keys('ArrowLeft', 'ArrowLeft', 'ArrowLeft')
    expect(chosen()).toBe('bookings')
    const box = screen.getByRole('searchbox', { name: 'Find a step' })
    fireEvent.change(box, { target: { value: 'tick' } })
    fireEvent.submit(box)
    expect(chosen()).toBe('ticket')
    expect(screen.getByText('1 of 1')).toBeTruthy()
    await press('Fold flows')
    expect(bars()).toHaveLength(4)
  })

  it('folds a group into one bar, which keys reach and Enter unfolds, and which a step that is found unfolds', async () => {
    const groups = [{ id: 'checks', steps: ['bookings', 'check'] }]
    edit(define(DEFINITION.steps, { groups }))
    await choose('Groups 0 of 1 folded Groups', 'Fold checks')
    expect(bars()).toEqual([
      'Boards, 1:00',
      'Signs, 1:00',
      'Ticket, 0:06 · quicker: −20 % in 40 days',
      'checks, 2 steps · 7:00',
    ])
    const picture = screen.getByRole('application')
    fireEvent.click(screen.getByRole('img', { name: /^checks/ }))
    expect(picture.getAttribute('aria-activedescendant')).toBe('step-5')
    fireEvent.keyDown(picture, { key: 'ArrowRight' })
    await waitFor(() => expect(picture.getAttribute('aria-activedescendant')).toBe('step-2'))
    fireEvent.keyDown(picture, { key: 'ArrowLeft' })
    await waitFor(() => expect(picture.getAttribute('aria-activedescendant')).toBe('step-5'))
    fireEvent.keyDown(picture, { key: 'Enter' })
    await waitFor(() => expect(bars()).toContain('Bookings, 2:00'))
    await choose('Groups 0 of 1 folded Groups', 'Fold checks')
    fireEvent.change(screen.getByLabelText('Find a step'), { target: { value: 'bookings' } })
    fireEvent.submit(screen.getByLabelText('Find a step').closest('form') as HTMLFormElement)
    await waitFor(() => expect(bars()).toContain('Bookings, 2:00'))
  })

  it('draws the steps in sight, and on paper all of them', () => {
    edit(define(Array.from({ length: 60 }, (_, i) => ({ id: `s${i}`, job: 'bookings' }))))
    const onScreen = bars().length
    expect(onScreen).toBeGreaterThan(10)
    expect(onScreen).toBeLessThan(40)
    act(() => void window.dispatchEvent(new Event('beforeprint')))
    expect(bars()).toHaveLength(60)
    act(() => void window.dispatchEvent(new Event('afterprint')))
    expect(bars()).toHaveLength(onScreen)
  })

  it('keeps both versions when somebody else saved first', async () => {
    edit(undefined, {
      'PUT /flows/46': new No(409, {
        type: 'urn:bugle:problem:conflict',
        detail: 'Somebody else saved first.',
        theirs: { ...flow(define([])), title: 'Theirs', version: 9, savedBy: 'Sunniva Dahl' },
      }),
    })
    type('Title', 'Mine')
    await press('Save')
    await press(/^Take theirs/)
    expect((screen.getByRole('textbox', { name: 'Title' }) as HTMLInputElement).value).toBe('Theirs')
  })

  it('can be read, but not changed, by an operator', () => {
    edit(undefined, {}, { role: 'operator', at: '/work/flows/46?step=check' })
    expect(screen.getByRole('button', { name: 'Start Sailing manifests' })).toBeTruthy()
    expect(screen.getAllByRole('group', { name: 'Title' })[0]?.textContent).toBe('TitleSailing manifests')
    expect(screen.queryByRole('textbox', { name: 'Title' })).toBeNull()
    expect(screen.getByRole('group', { name: 'Step' }).textContent).toContain('check')
  })
})

import { act, fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { Change } from '@/core/forecast/change'
import { changesOf, choose, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { DeadlinesTab } from './deadlines-tab'
import { LoadTab } from './load-tab'
import { ProposalsTab } from './proposals-tab'
import { RightTab } from './right-tab'
import { SchedulesTab } from './schedules-tab'
import { asked, stretchOf, titleOf } from './stretch'
import { at, FROM, HOURS, nightFor, whatIfOf, withChanges } from './tuning.test-help'
import { WhatIfTab } from './what-if-tab'
import { parseZonedDateTime } from '@internationalized/date'

// There is no thread in a test: what it would answer is worked out by the same code at once.
jest.mock('./use-edited', () => ({
  useEdited: (_: unknown, changes: readonly Change[]) => ({
    view: changes.length === 0 ? null : withChanges(changes),
    error: null,
  }),
}))

const stretch = { from: FROM, hours: HOURS }
const night = nightFor(20)
const words = (element: Element | null): string => (element?.textContent ?? '').replaceAll(/\s+/g, ' ')
const figure = (name: string): string => words(screen.getByText(name).parentElement)

describe('the stretch of Tuning', () => {
  const zone = 'Europe/London'
  it('is this night, by day the one that comes, in the night the one that goes on', () => {
    const by = (time: string): object =>
      stretchOf('this-night', zone, parseZonedDateTime(`2027-03-09T${time}[Europe/London]`))
    expect(by('14:00')).toEqual({ from: '2027-03-09T18:00:00.000Z', hours: 15 })
    expect(by('02:14')).toEqual({ from: '2027-03-08T18:00:00.000Z', hours: 15 })
    expect(stretchOf('next-night', zone, parseZonedDateTime('2027-03-09T02:14[Europe/London]'))).toEqual({
      from: '2027-03-09T18:00:00.000Z',
      hours: 15,
    })
    // The clock is put forward in that night.
    expect(stretchOf('this-night', zone, parseZonedDateTime('2027-03-27T20:00[Europe/London]')).hours).toBe(14)
  })

  it('is what the address says, and what it says wrongly is as if it said nothing', () => {
    expect(asked({ from: '2027-03-09T02:00:00Z', hours: '5' }, zone)).toEqual({
      from: '2027-03-09T02:00:00.000Z',
      hours: 5,
      name: null,
    })
    for (const bad of [{ from: 'x', hours: '5' }, { from: '2027-03-09T02:00:00Z', hours: '999' }, { night: 'odd' }])
      expect(asked(bad, zone).name).toBe('this-night')
    expect(titleOf({ from: '2027-03-09T18:00:00Z', hours: 15 }, zone)).toBe('Night of Tue 9 Mar')
    expect(titleOf({ from: '2027-03-09T00:00:00Z', hours: 23 }, zone)).toBe('Tue 9 Mar')
  })
})

describe('load', () => {
  it('shows each pool against what there is, and moves a start by keys within its window', async () => {
    show(<LoadTab stretch={stretch} night={night} />, {}, { at: at() })
    expect(await screen.findByRole('button', { name: /^data: at most 2 of 1 slots, at 02:10/ })).toBeTruthy()
    expect(figure('slots in demand above what there is')).toContain('1')
    const mark = await screen.findByRole('slider', { name: 'Start of Backup' })
    expect(mark.getAttribute('aria-valuetext')).toBe('02:00, was 02:00')
    // Three keys before anything is drawn.
    act(() => {
      for (let i = 0; i < 3; i++) mark.dispatchEvent(new KeyboardEvent('keydown', { key: 'PageUp', bubbles: true }))
    })
    await waitFor(() => expect(window.location.search).toContain('moves=backup%4000%3A30'))
    expect(screen.getByRole('slider', { name: 'Start of Backup' }).getAttribute('aria-valuetext')).toBe(
      '00:30 (−90 min), was 02:00',
    )
    expect(figure('slots in demand above what there is')).toBe('slots in demand above what there is0now 1')
    // Further it may not: it is shown, with what forbids it.
    fireEvent.keyDown(screen.getByRole('slider', { name: 'Start of Backup' }), { key: 'ArrowLeft' })
    expect(await screen.findByText(/Outside its window, 00:30 to 03:30/)).toBeTruthy()
    fireEvent.keyDown(screen.getByRole('slider', { name: 'Start of Names' }), { key: 'ArrowRight' })
    expect(await screen.findByText(/It has no window in which it may move/)).toBeTruthy()
    await press('All starts as they were')
    await waitFor(() => expect(window.location.search).not.toContain('moves'))
  })

  it('tells what runs in a minute', async () => {
    const minute = String(Math.floor(Date.parse(FROM) / 60_000) + 150)
    show(<LoadTab stretch={stretch} night={night} />, {}, { at: at({ minute, pool: 'data' }) })
    const table = await screen.findByRole('table', { name: /^Runs at 02:30 in data/ })
    const rows = within(table)
      .getAllByRole('row')
      .map((row) => words(row))
    expect(rows.some((row) => row.startsWith('Nightly backup'))).toBe(true)
    expect(rows.some((row) => /^Name check.*50:00/.test(row))).toBe(true)
  })
})

describe('deadlines', () => {
  it('tell chance, margin and what decides them, and open on a time scale', async () => {
    const help = { ...night.forecast.deadlines[0], help: 'one slot more in data', helpChance: 1 }
    show(
      <DeadlinesTab stretch={stretch} night={night} />,
      { 'GET /forecast': { ...night.forecast, deadlines: [help] } },
      { at: at() },
    )
    const row = (await screen.findAllByRole('row'))[1] as HTMLElement
    expect(words(row)).toMatch(/^Names.*03:30.*0 %.*04:00.*−30 min.*Nightly backup → Name check/)
    expect(await screen.findByText('one slot more in data: 100 %')).toBeTruthy()
    fireEvent.click(row)
    const chain = await screen.findByRole('region', { name: 'What leads to Names' })
    expect(
      within(chain)
        .getAllByRole('listitem')
        .map((each) => words(each)),
    ).toEqual([expect.stringMatching(/^Nightly backup of Backup/), expect.stringMatching(/^Name check.*waited 50:00/)])
  })

  it('say where there are none', async () => {
    const none = { ...night, forecast: { ...night.forecast, deadlines: [] } }
    show(<DeadlinesTab stretch={stretch} night={none} />, { 'GET /forecast': null }, { at: at() })
    expect(await screen.findByText(/Nothing has to be finished by a time/)).toBeTruthy()
  })
})

const PROPOSAL = {
  moves: [
    {
      trigger: 'backup',
      from: '02:00',
      to: '00:50',
      minutes: -70,
      reason: 'It lowers the peak of data at 02:10 UTC from 2 to 1 of 1 slots.',
    },
  ],
  before: { late: 0, strain: 1, peaks: { data: 2, quay: 1 }, relative: 2.25 },
  after: { late: 0, strain: 0, peaks: { data: 1, quay: 1 }, relative: 1.25 },
  bound: { late: 0, strain: 0, relative: 1.25 },
  proven: true,
  forecast: { before: { late: 1, latenessSeconds: 1800 }, after: { late: 0, latenessSeconds: 0 } },
}

describe('proposals', () => {
  const server = (more: object = {}): Record<string, unknown> => ({
    'POST /tuning/search': { proposal: PROPOSAL, leastPeaks: { data: 1, quay: 1 } },
    'POST /tuning/what-if': ({ body }: Asked) => whatIfOf((body as { changes: Change[] }).changes),
    'GET /tuning/proposals': [],
    'POST /tuning/proposals': { id: 7 },
    ...more,
  })

  it('are looked for, ticked, and taken over; figures follow', async () => {
    const sent = show(<ProposalsTab stretch={stretch} night={night} />, server(), { at: at() })
    expect(await screen.findByText('1 move proposed')).toBeTruthy()
    expect(screen.getByText(/best possible, after 1 s/)).toBeTruthy()
    expect(figure('from the best possible')).toBe('from the best possiblenoneproven')
    await waitFor(() => expect(figure('deadlines at risk')).toBe('deadlines at risk0now 1'))
    fireEvent.click(screen.getByRole('checkbox', { name: 'Backup' }))
    await waitFor(() => expect(figure('slots above what there is')).toBe('slots above what there is1now 1'))
    fireEvent.click(screen.getByRole('checkbox', { name: 'Backup' }))
    await press('Take over 1 chosen move')
    await waitFor(() =>
      expect(changesOf(sent).find(({ what }) => what === 'POST /tuning/proposals')?.body).toEqual({
        ...stretch,
        answer: PROPOSAL,
        chosen: ['backup'],
      }),
    )
  })

  it('keep a trigger where it is if told to', async () => {
    const sent = show(<ProposalsTab stretch={stretch} night={night} />, server(), { at: at() })
    await press('Leave Backup where it is')
    await waitFor(() =>
      expect(
        changesOf(sent)
          .filter(({ what }) => what === 'POST /tuning/search')
          .at(-1)?.body,
      ).toMatchObject({ keep: ['backup'] }),
    )
    expect(await screen.findByText('Not to be moved: Backup.')).toBeTruthy()
  })

  it('are refused whole where a start is another by now, and said so; what was taken over is undone', async () => {
    const row = {
      id: 4,
      from: FROM,
      hours: 12,
      answer: PROPOSAL,
      taken: ['backup'],
      takenBy: 'Ines',
      takenAt: new Date().toISOString(),
      undone: null,
      undoneBy: null,
      undoneAt: null,
      came: { before: { deadlines: 10, inTime: 6, peak: 2 }, since: { deadlines: 0, inTime: 0, peak: null } },
    }
    const sent = show(
      <ProposalsTab stretch={stretch} night={night} />,
      server({
        'POST /tuning/proposals': () =>
          new No(409, { title: 'It changed in the meantime', detail: 'Nothing was changed.' }),
        'GET /tuning/proposals': [row],
        'POST /tuning/proposals/4/undo': { back: ['backup'], kept: [] },
      }),
      { at: at() },
    )
    await press('Take over 1 chosen move')
    expect(await screen.findByText('Nothing was changed.')).toBeTruthy()
    expect(await screen.findByText('6 of 10 in time · peak 2')).toBeTruthy()
    await press('Undo')
    await waitFor(() => expect(changesOf(sent).some(({ what }) => what === 'POST /tuning/proposals/4/undo')).toBe(true))
  })

  it('may be looked at, not taken over, by those who may not design', async () => {
    show(<ProposalsTab stretch={stretch} night={night} />, server(), { at: at(), role: 'viewer' })
    const button = await screen.findByRole('button', { name: 'Take over 1 chosen move' })
    expect(button.getAttribute('aria-disabled') ?? String((button as HTMLButtonElement).disabled)).toBe('true')
  })
})

describe('what if', () => {
  const server = {
    'POST /tuning/what-if': ({ body }: Asked) => whatIfOf((body as { changes: Change[] }).changes),
    'GET /tuning/variants': [
      { id: 3, title: 'Two slots', changes: [{ slots: { pool: 'data', to: 2 } }], madeBy: 'Ines', madeAt: FROM },
    ],
    'POST /tuning/variants': { id: 4 },
    'DELETE /tuning/variants/3': undefined,
  }

  it('takes changes in words, shows both sides, and keeps them as a variant', async () => {
    const sent = show(<WhatIfTab stretch={stretch} night={night} />, server, { at: at() })
    expect(await screen.findByText(/Add a change: nothing happens/)).toBeTruthy()
    await choose(/What is other than now/, 'a job takes longer or shorter')
    await choose(/^.*Job$/, 'Name check')
    type('Times as long', 'much')
    await press('Add it')
    expect(await screen.findByRole('alert')).toBeTruthy()
    type('Times as long', '0.25')
    await press('Add it')
    expect(await screen.findByText('Name check takes 0.25 times as long')).toBeTruthy()
    await waitFor(() => expect(figure('deadlines at risk')).toBe('deadlines at risk0now 1'))
    expect(await screen.findByRole('table', { name: 'Runs that move' })).toBeTruthy()
    type('Keep these changes as', 'Quicker names')
    await press('Keep')
    await waitFor(() =>
      expect(changesOf(sent).find(({ what }) => what === 'POST /tuning/variants')?.body).toEqual({
        title: 'Quicker names',
        changes: [{ length: { job: 'check', times: 0.25 } }],
      }),
    )
    await press('Without: Name check takes 0.25 times as long')
    expect(await screen.findByText(/Add a change: nothing happens/)).toBeTruthy()
  })

  it('puts two variants beside what is shown, on the same samples; a third takes the place of the first', async () => {
    const variants = ['Two slots', 'Quicker names', 'Nothing at all'].map((title, i) => ({
      id: i + 1,
      title,
      changes: [
        [{ slots: { pool: 'data', to: 2 } }],
        [{ length: { job: 'check', times: 0.25 } }],
        [{ units: { lock: 'fares', to: 2 } }],
      ][i],
      madeBy: 'Ines',
      madeAt: FROM,
    }))
    show(<WhatIfTab stretch={stretch} night={night} />, { ...server, 'GET /tuning/variants': variants }, { at: at() })
    // One click right after the other.
    await screen.findByRole('button', { name: 'Compare Two slots' })
    for (const name of ['Compare Two slots', 'Compare Quicker names'])
      fireEvent.click(screen.getByRole('button', { name }))
    const rows = (): string[] =>
      within(screen.getByRole('table', { name: 'Side by side' }))
        .getAllByRole('row')
        .slice(1)
        .map((row) => words(row))
    await waitFor(() => expect(rows()[2]).toMatch(/^Quicker names0/))
    expect(rows()[0]).toMatch(/^As things stand1\d+ % Names.*200 %0$/)
    expect(rows()[1]).toMatch(/^Two slots0100 % Names.*100 %\d+$/)
    await press('Compare Nothing at all')
    await waitFor(() => expect(rows().map((row) => row.slice(0, 7))).toEqual(['As thin', 'Quicker', 'Nothing']))
    await press('Compare Quicker names')
    await waitFor(() => expect(rows()).toHaveLength(2))
  })

  it('makes starts that were only tried, if nothing else is changed', async () => {
    const sent = show(
      <WhatIfTab stretch={stretch} night={night} />,
      { ...server, 'POST /tuning/proposals': { id: 9 } },
      { at: at({ moves: 'backup@01:00' }) },
    )
    await press('Move this start')
    await waitFor(() =>
      expect(changesOf(sent).find(({ what }) => what === 'POST /tuning/proposals')?.body).toMatchObject({
        chosen: ['backup'],
        answer: {
          moves: [{ trigger: 'backup', from: '02:00', to: '01:00', minutes: -60 }],
          before: { strain: 1, peaks: { data: 2 } },
          after: { strain: 0, peaks: { data: 1 } },
          proven: false,
        },
      }),
    )
    expect(await screen.findByText(/One start moved|1 start moved/)).toBeTruthy()
    const changes = JSON.stringify([{ at: { trigger: 'backup', to: ['01:00'] } }, { units: { lock: 'fares', to: 2 } }])
    show(<WhatIfTab stretch={stretch} night={night} />, server, { at: at({ changes }) })
    expect(await screen.findByText('The lock fares has 2 units')).toBeTruthy()
    expect(screen.queryByRole('button', { name: /^Move th/ })).toBeNull()
  })

  it('takes a variant up, and every kind of change from the address', async () => {
    const changes = [
      { away: { agent: 'kelda-db1', from: FROM, to: new Date(Date.parse(FROM) + 3_600_000).toISOString() } },
      { units: { lock: 'fares', to: 2 } },
      { off: { trigger: 'mails' } },
      { finishBy: { trigger: 'names', to: null } },
      { extra: { work: 'mail', at: FROM, times: 2 } },
    ]
    show(<WhatIfTab stretch={stretch} night={night} />, server, {
      at: at({ changes: JSON.stringify(changes), moves: 'backup@01:00' }),
      zone: 'UTC',
    })
    for (const text of [
      'Backup starts at 01:00',
      'kelda-db1 is away from 00:00 to 01:00',
      'The lock fares has 2 units',
      'Mails is switched off',
      'Names has no finish-by',
      '2 starts of Mail more, at 00:00',
    ])
      expect(await screen.findByText(text)).toBeTruthy()
    await act(async () => fireEvent.click(await screen.findByRole('button', { name: 'Look at it' })))
    expect(await screen.findByText('The pool data has 2 slots')).toBeTruthy()
  })
})

describe('schedules and scores', () => {
  it('show what schedules cost, and what grows slower', async () => {
    show(
      <SchedulesTab stretch={stretch} night={night} />,
      {
        'GET /tuning/schedules': [
          {
            id: 9,
            trigger: 'pulse',
            title: 'Pulse',
            says: 'every 15 minutes',
            gapSeconds: 900,
            machines: 12,
            runsADay: 1152,
            slotMinutes: 134,
            pool: '',
            share: 0.003,
            delays: ['names'],
            isTooOften: true,
            proposed: { gapSeconds: 1800, slotMinutes: 67 },
          },
        ],
        'GET /drifts': [{ jobId: 5, change: 0.77, days: 55, count: 50 }],
        'GET /jobs': [{ id: 5, title: 'Name check', isFlow: false, usualMs: 6_780_000 }],
      },
      { at: at() },
    )
    expect(words((await screen.findAllByRole('row', { name: /Pulse/ }))[0] ?? null)).toMatch(
      /121152134.*0\.3 %.*Names.*every 30 min: 67 slot-minutes/,
    )
    expect(words((await screen.findAllByRole('row', { name: /Name check/ }))[0] ?? null)).toMatch(
      /1 h 53 min77 %55 days/,
    )
  })

  it('look back part by part, and show how right the forecasts would have been', async () => {
    const row = (chance: number, inTime: boolean): object => ({
      lead: '2h',
      trigger: 'names',
      title: 'Names',
      chance,
      inTime,
      finishP50: 1000,
      finish: 1060,
      length: 600,
    })
    let part = 0
    const empty = {
      count: 0,
      inTime: 0,
      brier: null,
      brierOfShare: null,
      bins: [],
      errorP50: null,
      errorP90: null,
      relativeP50: null,
    }
    show(
      <RightTab />,
      {
        'GET /tuning/accuracy': {
          days: 28,
          byLead: { '8h': empty, '2h': empty, '10m': empty, begun: empty },
          byTrigger: [],
          adherence: [],
        },
        'POST /tuning/backtest': () =>
          part++ === 0
            ? { rows: [row(0.9, true)], forecasts: 3, next: FROM }
            : { rows: [row(0.5, false)], forecasts: 2, next: null },
      },
      { at: at() },
    )
    expect(await screen.findByText('No deadline that was foreseen is over yet')).toBeTruthy()
    await press('Look back over 28 days')
    expect(await screen.findByText(/^5 forecasts, each with only what was known then/)).toBeTruthy()
    const [, first] = within(
      screen.getByRole('table', { name: /^As it would have been told in the last 28 days$/ }),
    ).getAllByRole('row')
    expect(words(first ?? null)).toBe('2 hours before250 %0.1300.2501:001:0010.0 %')
  })
})

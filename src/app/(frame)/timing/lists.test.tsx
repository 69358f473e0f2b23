import { screen, within } from '@testing-library/react'
import { show } from '@/ui/screen.test-help'
import { NotStartedScreen } from './not-started/not-started-screen'
import { HistoryTab } from './triggers/history-tab'
import { MachinesTab } from './triggers/machines-tab'

const DUE = '2026-11-25T17:00:00.000Z'
const after = (seconds: number): string => new Date(Date.parse(DUE) + seconds * 1000).toISOString()
async function rowsOf(table: string): Promise<string[]> {
  const body = (await screen.findByRole('table', { name: table })).querySelector('tbody') as HTMLElement
  const rows = await within(body).findAllByRole('row')
  return rows.map((row) => row.textContent?.replace(/\s+/g, ' ') ?? '')
}

describe('the history of a trigger', () => {
  const run = {
    kind: 'run',
    id: 18204,
    at: DUE,
    state: 'succeeded',
    agent: 'kelda-app1',
    startedAt: after(0.4),
    durationMs: 61_000,
    late: false,
    starter: null,
    version: 3,
  }
  it('tells what ran where and when, and what was not started and why', async () => {
    show(<HistoryTab id={1} />, {
      'GET /triggers/1/history': [
        run,
        { ...run, id: 18190, startedAt: after(125), late: true, starter: 'Callum Eads', state: 'failed' },
        {
          kind: 'not started',
          first: after(-7200),
          at: after(-3600),
          times: 4,
          why: 'overlap',
          detail: 'While #18100 ran.',
          runId: 18100,
        },
        { kind: 'not started', first: after(-9000), at: after(-9000), times: 1, why: 'late', detail: '', runId: null },
      ],
    })
    const rows = await rowsOf('History')
    expect(rows[0]).toMatch(/succeeded.*kelda-app1at once1:01#18204its rule, version 3$/)
    expect(rows[1]).toMatch(/failed.*2:05 after.*late#18190Callum Eads$/)
    expect(rows[2]).toMatch(/not started ?4 times.* to .*the one before ran on While #18100 ran\.#18100$/)
    expect(rows[3]).toMatch(/not started.*too late/)
  })

  it('says when there is none yet', async () => {
    show(<HistoryTab id={1} />, { 'GET /triggers/1/history': [] })
    expect(await screen.findByText('It has not started anything yet')).toBeTruthy()
  })
})

describe('the machines of a trigger', () => {
  const last = { id: 5, state: 'succeeded', at: DUE }
  it('names first those that have not had it', async () => {
    show(<MachinesTab id={1} />, {
      'GET /triggers/1/machines': [
        { agent: 'kelda-app1', agentId: 1, last, runs: 40 },
        { agent: 'tarn-ops1', agentId: 2, last: null, runs: 0 },
      ],
    })
    const rows = await rowsOf('Machines')
    expect(rows[0]).toBe('tarn-ops1has not had it0')
    expect(rows[1]).toMatch(/^kelda-app1.*succeeded #5.*40$/)
    expect(screen.getByText('1 machine of 2 had it not once in the last 60 days: tarn-ops1.')).toBeTruthy()
  })

  it('says that all had it, and that none fits', async () => {
    show(<MachinesTab id={1} />, { 'GET /triggers/1/machines': [{ agent: 'a', agentId: 1, last, runs: 1 }] })
    expect(await screen.findByText('Every machine of its target had it in the last 60 days (1).')).toBeTruthy()
    show(<MachinesTab id={1} />, { 'GET /triggers/1/machines': [] })
    expect(await screen.findByText('No machine fits its target')).toBeTruthy()
  })
})

describe('what was not started', () => {
  it('is listed with its reason and what ran instead', async () => {
    show(<NotStartedScreen />, {
      'GET /not-started': [
        {
          id: 3,
          triggerId: 1,
          title: 'Vessel logs',
          first: after(-3600),
          last: DUE,
          times: 5,
          why: 'starts off',
          detail: 'Storage is being moved',
          runId: null,
          at: DUE,
        },
        {
          id: 2,
          triggerId: 2,
          title: 'Name check',
          first: DUE,
          last: DUE,
          times: 1,
          why: 'made up',
          detail: '',
          runId: 77,
          at: DUE,
        },
      ],
    })
    const rows = await rowsOf('Not started')
    expect(rows.shift()).toMatch(/^\w{3} \d+ \w{3}$/)
    expect(rows[0]).toMatch(/^Vessel logs.* to .*5 timesstarts were offStorage is being moved/)
    expect(rows[1]).toMatch(/^Name check.*made up for by another#77/)
    expect(screen.getByRole('link', { name: 'Name check' }).getAttribute('href')).toBe('/timing/triggers/2?tab=history')
  })

  it('says that nothing was left out', async () => {
    show(<NotStartedScreen />, { 'GET /not-started': [] })
    expect(await screen.findByText('Everything that was due was started')).toBeTruthy()
  })
})

import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { JobMeasures, MeasurePage } from '@/service/timing/measure-list'
import { JobMeasuresScreen } from '@/app/(frame)/work/jobs/job-measures-screen'
import { show } from '@/ui/screen.test-help'
import { MeasuresScreen } from './measures-screen'

const atMs = Date.now() - 60_000
const PAGE: MeasurePage = {
  total: 2,
  rows: [
    {
      ...{ kind: 'job', id: 5, slug: 'log-clean-up', title: 'Log clean-up', name: 'files' },
      last: { atMs, value: 1250.4 },
      band: { low: 800, middle: 1000, high: 1300 },
      drift: { change: 0.42, span: 9 * 86_400, count: 30 },
    },
    {
      ...{ kind: 'agent', id: 7, slug: 'kelda-db1', title: 'kelda-db1', name: 'memory' },
      last: { atMs, value: 61.25 },
      band: { low: 50, middle: 60, high: 70 },
      drift: null,
    },
  ],
}

it('what is measured is told with what is usual and whether it drifts; the chosen one leads to a limit', async () => {
  const asked = show(
    <MeasuresScreen />,
    { 'GET /measures': PAGE, 'GET /measures/values': [{ of: 'kelda-db1', values: [{ atMs, value: 61 }] }] },
    { at: '/reports/measures?chosen=agent+7+memory' },
  )
  await screen.findByText('Log clean-up')
  const rows = within(screen.getByRole('table', { name: 'Measures' })).getAllByRole('row')
  expect(rows[1]?.textContent).toMatch(/^Log clean-upfiles1,250.*800 – 1,300rises by 42 % in 9 days$/)
  expect(rows[2]?.textContent).toMatch(/^kelda-db1memory61\.25.*50 – 70$/)
  expect(
    within(rows[1] as HTMLElement)
      .getByRole('link')
      .getAttribute('href'),
  ).toBe('/work/jobs/5/measures')
  const chosen = await screen.findByLabelText('The chosen measure')
  expect(within(chosen).getByRole('heading').textContent).toBe('kelda-db1: memory')
  expect(within(chosen).getByRole('link').getAttribute('href')).toBe(
    '/timing/triggers/new?measure=agent&of=kelda-db1&name=memory&above=70',
  )
  await waitFor(() =>
    expect(asked.find(({ what }) => what === 'GET /measures/values')?.query).toEqual({
      agent: 'kelda-db1',
      name: 'memory',
      days: '14',
    }),
  )
  fireEvent.change(screen.getByRole('searchbox', { name: 'Of what, or measure' }), { target: { value: 'memory' } })
  await waitFor(() => expect(asked.filter(({ what }) => what === 'GET /measures').at(-1)?.query.text).toBe('memory'))
})

it('of a job each measure stands over its runs, beside how long they took', async () => {
  const runs: JobMeasures['runs'] = Array.from({ length: 20 }, (_, i) => ({
    id: 100 + i,
    state: i === 4 ? 'failed' : 'succeeded',
    endedAtMs: atMs - (20 - i) * 3_600_000,
    lengthMs: 60_000,
    values: i === 4 ? {} : { files: 100 + 5 * i },
  }))
  show(<JobMeasuresScreen id={5} />, {
    'GET /jobs/5/measures': { title: 'Log clean-up', slug: 'log-clean-up', runs } satisfies JobMeasures,
  })
  const files = await screen.findByLabelText('files')
  expect(files.textContent).toMatch(/last 195, usually 104\.5 – 190\.5, rises by \d\d % in 19 h/)
  expect(within(files).getByText('195').getAttribute('href')).toBe('/runs/119')
  expect(
    within(files)
      .getByText(/beyond a limit/)
      .getAttribute('href'),
  ).toBe('/timing/triggers/new?measure=job&of=log-clean-up&name=files&above=190.5')
  expect(screen.getByLabelText('How long it took').textContent).toContain('last 1:00, usually 1:00')
})

it('where nothing is measured it says what would be', async () => {
  show(<MeasuresScreen />, { 'GET /measures': { total: 0, rows: [] } })
  expect(await screen.findByText('Nothing is measured')).toBeTruthy()
})

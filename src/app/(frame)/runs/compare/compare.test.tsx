import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { ComparedStretch } from '@/core/compare/stretches'
import type { Comparison } from '@/service/runs/compare'
import { choose, press, show } from '@/ui/screen.test-help'
import { CompareButton } from '../[id]/compare-button'
import { CompareScreen } from './compare-screen'
import { rowsBeside } from './compared-text'

const line = (a: number | null, b: number | null, text: string) => ({ a, b, text })
const STRETCHES: ComparedStretch[] = [
  { kind: 'folded', lines: [], folded: 12 },
  { kind: 'same', lines: [line(13, 13, 'port = 1')], folded: 0 },
  { kind: 'taken away', lines: [line(14, null, 'most = 5'), line(15, null, 'least = 1')], folded: 0 },
  {
    kind: 'put in',
    lines: [
      {
        ...line(null, 14, 'most = 6'),
        pieces: [
          { text: 'most = ', changed: false },
          { text: '6', changed: true },
        ],
      },
    ],
    folded: 0,
  },
  { kind: 'same', lines: [line(16, 15, 'end')], folded: 0 },
  { kind: 'put in', lines: [line(null, 16, 'more')], folded: 0 },
]
const head = (id: number) => ({
  id,
  title: 'Configuration check',
  state: 'succeeded',
  startedAt: null,
  lines: 16,
  lacks: null,
})
const FOUND: Comparison = {
  a: head(17),
  b: { ...head(18), lacks: 'Of its output the middle is left out: it was too long.' },
  facts: [{ what: 'machine', a: 'kelda-app1', b: null }],
  stretches: STRETCHES,
  takenAway: 2,
  putIn: 2,
  isCut: false,
}
const address = (): Record<string, string> => Object.fromEntries(new URLSearchParams(window.location.search))
const open = (found: Comparison = FOUND, at = '/runs/compare?a=17&b=18') =>
  show(<CompareScreen />, { 'GET /runs/compare': found }, { at })
const rows = async (): Promise<string[]> =>
  within(await screen.findByRole('table', { name: 'Output of #17 and #18' }))
    .getAllByRole('row')
    .map((row) =>
      within(row)
        .getAllByRole('cell')
        .map((cell) => cell.textContent)
        .join('|'),
    )

it('side by side, what was replaced stands beside what replaces it', async () => {
  expect(rowsBeside(STRETCHES)).toHaveLength(6)
  open()
  expect(await rows()).toEqual([
    '12 lines the same',
    '13|port = 1|13|port = 1',
    '14|most = 5|14|most = 6',
    '15|least = 1||',
    '16|end|15|end',
    '||16|more',
  ])
  expect(screen.getByText('6').tagName).toBe('MARK')
  expect(screen.getByText('2 lines only in #17, 2 lines only in #18')).toBeTruthy()
  expect(screen.getByText(/the middle is left out/)).toBeTruthy()
  expect(screen.getByRole('table', { name: 'What else differs' }).textContent).toContain('kelda-app1not there')
})

it('as one, with what does not count switched off, and the other way round', async () => {
  const asked = open()
  await choose(/side by side/, 'as one')
  expect((await rows())[2]).toBe('14||most = 5')
  fireEvent.click(screen.getByRole('checkbox', { name: 'instants' }))
  await waitFor(() => expect(address().off).toBe('instants'))
  await waitFor(() => expect(asked.at(-1)?.query).toEqual({ a: '17', b: '18', off: 'instants' }))
  await press('Show what is the same, too')
  await waitFor(() => expect(asked.at(-1)?.query.around).toBe('20000'))
  await press('The other way round')
  expect(address()).toMatchObject({ a: '18', b: '17', side: 'one' })
})

it('says when nothing differs, and when two runs are still to be chosen', async () => {
  open({ ...FOUND, stretches: [], takenAway: 0, putIn: 0, facts: [] })
  expect(await screen.findByText('16 lines, all the same')).toBeTruthy()
  open(FOUND, '/runs/compare?a=17')
  expect(screen.getByText('Choose two runs')).toBeTruthy()
})

it('a run leads to itself beside the last good one, or says that there is none', async () => {
  const like = { before: null, good: 12, machines: 7 }
  show(<CompareButton id={17} />, { 'GET /runs/17/like': like })
  await press(/Compare/)
  fireEvent.click(await screen.findByRole('menuitem', { name: 'with the one before' }))
  expect(await screen.findByText('Its job has not run before.')).toBeTruthy()
  await press(/Compare/)
  fireEvent.click(await screen.findByRole('menuitem', { name: 'with the last good one before' }))
  await waitFor(() => expect(address()).toEqual({ a: '12', b: '17' }))
})

it('machines that wrote the same stand together, the odd ones first, and lead to both side by side', async () => {
  const of = (id: number, machine: string, state = 'succeeded') => ({ id, machine, state })
  const found = {
    title: 'Configuration check',
    occurrence: '2027-03-09T03:00:00.000Z',
    groups: [
      {
        runs: [of(9, 'tarn-ops1', 'failed')],
        lines: 3,
        differs: [
          { sign: '-', text: 'port = 1' },
          { sign: '+', text: 'port = 2' },
        ],
        more: 4,
      },
      { runs: [of(7, 'orrin-ops1'), of(8, 'stavin-ops1')], lines: 3, differs: [], more: 0 },
    ],
    leftOut: [of(10, 'kelda-lab', 'running')],
  }
  const asked = show(<CompareScreen />, { 'GET /runs/7/machines': found }, { at: '/runs/compare?start=7&off=instants' })
  const table = await screen.findByRole('table', { name: 'What the machines wrote' })
  const lines = within(table)
    .getAllByRole('row')
    .slice(1)
    .map((row) => row.textContent)
  expect(lines).toEqual([
    '1tarn-ops1 failed3− port = 1+ port = 2and 4 lines more. Side by side',
    '2orrin-ops1 stavin-ops1 3the same, each of them',
    '1kelda-lab runningnot over yet, or too much to compare',
  ])
  expect(screen.getByText('3 machines wrote 2 different outputs; 1 are not compared')).toBeTruthy()
  expect(within(table).getByRole('link', { name: 'Side by side' }).getAttribute('href')).toBe('/runs/compare?a=7&b=9')
  expect(asked.find(({ what }) => what === 'GET /runs/7/machines')?.query).toEqual({ off: 'instants' })
})

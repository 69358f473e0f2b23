import { fireEvent, screen, waitFor } from '@testing-library/react'
import { useState, type ReactNode } from 'react'
import { jobDefinitionSchema } from '@/core/work/job'
import type { AttemptRow, OutputRow, RunFull } from '@/service/runs/run-page'
import { No, press, show, type Asked } from '@/ui/screen.test-help'
import { Output } from './output'

const definition = jobDefinitionSchema.parse({ action: { kind: 'command', command: 'x' }, target: { pool: 'p' } })
const run = { id: 9, definition } as unknown as RunFull
const attempt = (change: Partial<AttemptRow> = {}): AttemptRow =>
  ({
    id: 70,
    number: 1,
    endedAt: '2026-11-26T05:00:00Z',
    outputLines: 3,
    outputCut: false,
    outputPurged: false,
    ...change,
  }) as AttemptRow
const at = Date.parse('2026-11-26T04:40:05.600Z')
const ROWS = [
  { at, stream: 'o', text: '428 files' },
  { at: at + 1, stream: 'e', text: '\u001b[31mgave up\u001b[0m after <b>an</b> answer' },
  { at: at + 2, stream: 'o', text: 'Gave up again, gave up' },
] as unknown as OutputRow[]
const SERVER = {
  'GET /runs/9/output': { rows: ROWS, total: 3 },
  'GET /runs/9/search': { lines: [2, 3], more: false },
}
// jsdom lays nothing out: the list is told that it is 800 px high, a line 17.
beforeAll(() => {
  const sizes = { clientHeight: 800, clientWidth: 800, offsetHeight: 17, offsetWidth: 800 }
  for (const [name, value] of Object.entries(sizes))
    Object.defineProperty(HTMLElement.prototype, name, { configurable: true, value })
  Element.prototype.scrollTo = () => undefined
})
const view = (change: Partial<AttemptRow> = {}, more: object = {}): Asked[] =>
  show(<Output run={run} attempt={attempt(change)} />, { ...SERVER, ...more })
const lines = async (): Promise<(string | null | undefined)[]> => {
  const log = await screen.findByRole('log', { name: 'Output' })
  await waitFor(() => expect(log.textContent).toContain('428 files'))
  return [...log.querySelectorAll('[data-index]')].map((line) => line.textContent)
}

describe('the output of a run', () => {
  it('shows lines with number and time, tells the streams apart, and paints colours, never markup', async () => {
    view()
    expect(await lines()).toEqual([
      '104:40:05.600428 files',
      '204:40:05.601standard error: gave up after <b>an</b> answer',
      '304:40:05.602Gave up again, gave up',
    ])
    expect(document.querySelector('b')).toBeNull()
    expect(screen.getByText('gave up').style.color).not.toBe('')
  })

  it('marks what was too long for one piece as one line', async () => {
    const rows = [{ ...ROWS[0], goesOn: true }, { ...ROWS[2], text: ' and the rest' }, ROWS[1]]
    view({}, { 'GET /runs/9/output': { rows, total: 3 } })
    expect((await lines()).map((line) => line?.slice(0, 1))).toEqual(['1', '↳', '3'])
  })

  it('leaves the times away, if that is wanted', async () => {
    view()
    await lines()
    fireEvent.click(screen.getByRole('checkbox', { name: 'Times' }))
    expect((await lines())[0]).toBe('1428 files')
  })

  it('is searched on the server, and goes from place to place and round', async () => {
    const asked = view()
    await lines()
    fireEvent.change(screen.getByRole('searchbox', { name: 'Find in the output' }), { target: { value: 'gave up' } })
    expect(await screen.findByText('1 of 2')).toBeTruthy()
    expect(asked.findLast(({ what }) => what === 'GET /runs/9/search')?.query).toEqual({
      attempt: '70',
      text: 'gave up',
    })
    expect([...document.querySelectorAll('mark')].map((mark) => mark.textContent)).toEqual([
      'gave up',
      'Gave up',
      'gave up',
    ])
    await press('Next place')
    expect(screen.getByText('2 of 2')).toBeTruthy()
    await press('Next place')
    expect(screen.getByText('1 of 2')).toBeTruthy()
    await press('Earlier place')
    expect(screen.getByText('2 of 2')).toBeTruthy()
  })

  it('a place that was found stays the place while lines arrive; going up ends following', async () => {
    let hits = [2, 3]
    function Live(): ReactNode {
      const [outputLines, setLines] = useState(3)
      return (
        <>
          <Output run={run} attempt={attempt({ endedAt: null, outputLines })} />
          <button onClick={() => setLines((before) => before + 1)}>more</button>
        </>
      )
    }
    const asked = show(<Live />, { ...SERVER, 'GET /runs/9/search': () => ({ lines: hits, more: false }) })
    await lines()
    const follow = (): HTMLInputElement => screen.getByRole('checkbox', { name: 'Follow' })
    expect(follow().checked).toBe(true)
    fireEvent.change(screen.getByRole('searchbox'), { target: { value: 'gave up' } })
    expect(await screen.findByText('1 of 2')).toBeTruthy()
    await waitFor(() => expect(follow().checked).toBe(false))
    await press('Next place')
    hits = [2, 3, 4]
    fireEvent.click(screen.getByText('more'))
    expect(await screen.findByText('2 of 3')).toBeTruthy()
    expect(asked.filter(({ what }) => what === 'GET /runs/9/search')).toHaveLength(2)
    fireEvent.click(follow())
    expect(follow().checked).toBe(true)
    fireEvent.keyDown(screen.getByRole('log'), { key: 'PageUp' })
    expect(follow().checked).toBe(false)
  })

  it('says that it is nowhere, or why it could not be looked for', async () => {
    view({}, { 'GET /runs/9/search': { lines: [], more: false } })
    await lines()
    fireEvent.change(screen.getByRole('searchbox'), { target: { value: 'x' } })
    expect(await screen.findByText('nowhere')).toBeTruthy()
    view({}, { 'GET /runs/9/search': new No(503, { detail: 'The database is away.' }) })
    await lines()
    fireEvent.change(screen.getByRole('searchbox'), { target: { value: 'x' } })
    expect(await screen.findByText('The database is away.')).toBeTruthy()
  })

  it('fetches only the pages that come into sight', async () => {
    const page = (from: number): OutputRow[] =>
      Array.from({ length: 500 }, (_, i) => ({ at, stream: 'o', text: `line ${from + i}` })) as unknown as OutputRow[]
    const asked = view(
      { outputLines: 200_000 },
      {
        'GET /runs/9/output': ({ query }: { query: Record<string, string> }) => ({
          rows: page(Number(query.from)),
          total: 200_000,
        }),
      },
    )
    await screen.findByText('line 1')
    expect(screen.getByText('200,000 lines')).toBeTruthy()
    const pages = new Set(asked.filter(({ what }) => what === 'GET /runs/9/output').map(({ query }) => query.from))
    // The first, which is in sight, and the last, which a running one would follow.
    expect([...pages].sort()).toEqual(['1', '199501'])
  })

  it.each<[string, Partial<AttemptRow>, string]>([
    ['nothing was written', { outputLines: 0 }, 'It wrote nothing.'],
    ['nothing was written yet', { outputLines: 0, endedAt: null }, 'It has not written anything yet.'],
    [
      'it was kept long enough',
      { outputPurged: true },
      'The output was kept for 60 days and has been removed. The run’s history stays.',
    ],
  ])('says when %s', async (_, change, words) => {
    view(change, { 'GET /runs/9/output': { rows: [], total: 0 } })
    expect(await screen.findByText(words)).toBeTruthy()
  })

  it('says that it was cut off', async () => {
    view({ outputCut: true })
    expect(await screen.findByText('3 lines, cut')).toBeTruthy()
  })
})

import { act, fireEvent, screen, waitFor } from '@testing-library/react'
import { show } from '../screen.test-help'
import { piecesOf } from './in-sight'
import { Table } from './table'

const rows = (count: number): { id: number; title: string }[] =>
  Array.from({ length: count }, (_, id) => ({ id, title: `Row ${id}` }))
const table = (count: number, opened: string[] = []) => (
  <Table
    label="Things"
    rows={rows(count)}
    onOpen={(row) => opened.push(row.title)}
    columns={[{ id: 'title', title: 'Title', cell: (row) => row.title }]}
  />
)
const drawn = (): HTMLElement[] => [...document.querySelectorAll<HTMLElement>('tr[tabindex]')]
const key = (name: string): void => void fireEvent.keyDown(document.activeElement as Element, { key: name })

// There is no layout here: the table is ten rows high, and its heads are 120 pixels wide.
beforeAll(() => {
  Object.defineProperty(Element.prototype, 'clientHeight', { configurable: true, get: () => 280 })
  Object.defineProperty(Element.prototype, 'scrollHeight', { configurable: true, get: () => 56_027 })
  Object.defineProperty(HTMLElement.prototype, 'offsetWidth', { configurable: true, get: () => 120 })
  Element.prototype.scrollTo = function (this: Element, options?: ScrollToOptions | number) {
    this.scrollTop = (options as ScrollToOptions).top ?? 0
    // A browser tells of it later, too.
    setTimeout(() => act(() => void this.dispatchEvent(new Event('scroll'))))
  } as Element['scrollTo']
})

describe('a table', () => {
  it('of some rows has them all; keys go through it and open', async () => {
    const opened: string[] = []
    show(table(40, opened), {})
    expect(drawn()).toHaveLength(40)
    drawn()[0]?.focus()
    for (const name of [
      'ArrowDown',
      'PageDown',
      'ArrowUp',
      'Enter',
      'End',
      'Enter',
      'ArrowDown',
      'Enter',
      'Home',
      'Enter',
    ])
      key(name)
    expect(opened).toEqual(['Row 15', 'Row 39', 'Row 39', 'Row 0'])
  })

  it('says once what rows have in common; keys pass over that', () => {
    show(
      <Table
        label="Things"
        rows={rows(5)}
        headingOf={({ id }) => (id < 2 ? 'Monday' : 'Tuesday')}
        columns={[{ id: 'title', title: 'Title', cell: (row) => row.title }]}
      />,
      {},
    )
    expect([...document.querySelectorAll('tbody tr')].map((line) => line.textContent)).toEqual([
      'Monday',
      'Row 0',
      'Row 1',
      'Tuesday',
      'Row 2',
      'Row 3',
      'Row 4',
    ])
    drawn()[1]?.focus()
    key('ArrowDown')
    expect(document.activeElement?.textContent).toBe('Row 2')
    key('Home')
    expect(document.activeElement?.textContent).toBe('Row 0')
  })

  it('of very many draws those in sight, says how many there are, and keeps the widths of its columns', async () => {
    show(table(2000), {})
    // Until it is known which are in sight, the first ones stand there.
    expect(drawn()).toHaveLength(150)
    await waitFor(() => expect(drawn().length).toBeLessThan(60))
    screen.getByText('Row 5')
    expect(screen.getByRole('table').getAttribute('aria-rowcount')).toBe('2001')
    expect(screen.getByRole('columnheader').style.width).toBe('120px')
    drawn()[0]?.focus()
    key('End')
    await waitFor(() => expect(document.activeElement?.textContent).toBe('Row 1999'))
    key('ArrowUp')
    expect(document.activeElement?.textContent).toBe('Row 1998')
    key('Home')
    await waitFor(() => expect(document.activeElement?.textContent).toBe('Row 0'))
    expect(drawn().length).toBeLessThan(60)
  })

  it('takes a key that comes before it knows which rows are in sight', async () => {
    show(table(2000), {})
    drawn()[0]?.focus()
    key('End')
    await waitFor(() => expect(document.activeElement?.textContent).toBe('Row 1999'))
  })

  it('leaves as much room for rows that it does not draw as they would take', () => {
    expect(piecesOf([0, 7, 8], 12)).toEqual([0, { from: 1, height: 168 }, 7, 8, { from: 9, height: 84 }])
    expect(piecesOf([3], 4)).toEqual([{ from: 0, height: 84 }, 3])
    expect(piecesOf([], 0)).toEqual([])
  })
})

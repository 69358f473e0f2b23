import { act, fireEvent, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState, type ReactNode } from 'react'
import { show } from '@/ui/screen.test-help'
import { Select, type Choice } from './select'

const PORTS: readonly Choice[] = [
  { id: 'kelda', title: 'Kelda' },
  { id: 'orrin', title: 'Orrin' },
  { id: 'brack', title: 'Brack' },
  { id: 'brae', title: 'Brae' },
]
const chosen: string[] = []
function Port({ choices = PORTS, error }: { choices?: readonly Choice[]; error?: string }): ReactNode {
  const [value, setValue] = useState<string | null>('orrin')
  const onChange = (next: string): void => {
    chosen.push(next)
    setValue(next)
  }
  return <Select label="Port" value={value} onChange={onChange} choices={choices} error={error} />
}
const field = (name = 'Orrin Port'): HTMLElement => screen.getByRole('button', { name })
const options = (): Promise<HTMLElement[]> => screen.findAllByRole('option')

beforeEach(() => {
  chosen.length = 0
})

it('opens at a press with what is taken marked, takes one, closes, and has the focus again', async () => {
  show(<Port />, {})
  await userEvent.click(field())
  expect((await options()).map((option) => [option.textContent, option.ariaSelected])).toEqual([
    ['Kelda', 'false'],
    ['Orrin', 'true'],
    ['Brack', 'false'],
    ['Brae', 'false'],
  ])
  await userEvent.click(screen.getByRole('option', { name: 'Brack' }))
  await waitFor(() => expect(screen.queryByRole('option')).toBeNull())
  expect(chosen).toEqual(['brack'])
  await closed('Brack Port')
})

/** Closed, with the focus where it was. */
const closed = (name?: string): Promise<void> => waitFor(() => expect(document.activeElement).toBe(field(name)))

it('is opened, gone through and closed by keys; taking what is taken closes it too', async () => {
  show(<Port />, {})
  act(() => field().focus())
  await userEvent.keyboard('{ArrowDown}')
  await options()
  await waitFor(() => expect(document.activeElement?.textContent).toBe('Orrin'))
  await userEvent.keyboard('{Enter}')
  await closed()
  await userEvent.keyboard('{ArrowDown}')
  await options()
  await waitFor(() => expect(document.activeElement?.textContent).toBe('Orrin'))
  await userEvent.keyboard('{ArrowDown}{Enter}')
  await closed('Brack Port')
  await userEvent.keyboard('{Enter}')
  await options()
  await userEvent.keyboard('{Escape}')
  await waitFor(() => expect(screen.queryByRole('option')).toBeNull())
  expect(chosen.at(-1)).toBe('brack')
})

it('goes to the next, the one before, and to what is typed, while it is closed', () => {
  show(<Port />, {})
  const key = (name: string): boolean =>
    fireEvent.keyDown(screen.getByRole('button', { name: / Port$/ }), { key: name })
  for (const each of ['ArrowRight', 'ArrowLeft', 'ArrowLeft', 'ArrowLeft']) key(each)
  expect(chosen).toEqual(['brack', 'orrin', 'kelda'])
  for (const letter of ['B', 'r', 'a', 'e']) key(letter)
  expect(chosen.slice(3)).toEqual(['brack', 'brae'])
  key('Tab')
  expect(screen.queryByRole('option')).toBeNull()
})

it('says what is wrong with it, and does not open without choices', async () => {
  show(<Port choices={[]} error="There is no port yet." />, {})
  const empty = field('Choose Port')
  expect(document.getElementById(empty.getAttribute('aria-describedby') ?? '')?.textContent).toBe(
    'There is no port yet.',
  )
  await userEvent.click(empty)
  expect(empty.getAttribute('aria-expanded')).toBe('false')
})

it('opens as soon as its choices are there when it was pressed before that, unless somebody went on meanwhile', async () => {
  const Late = (): ReactNode => {
    const [choices, setChoices] = useState<readonly Choice[]>([])
    return (
      <>
        <button onMouseEnter={() => setChoices(choices.length === 0 ? PORTS : [])}>bell</button>
        <Port choices={choices} />
      </>
    )
  }
  show(<Late />, {})
  // Rings without taking the focus.
  const ring = (): boolean => fireEvent.mouseEnter(screen.getByText('bell'))
  await userEvent.click(field('Choose Port'))
  expect(screen.queryByRole('option')).toBeNull()
  expect(field('Choose Port').getAttribute('aria-expanded')).toBe('false')
  ring()
  expect(await options()).toHaveLength(4)
  await userEvent.keyboard('{Escape}')
  await closed()
  ring()
  await userEvent.click(field('Choose Port'))
  act(() => field('Choose Port').blur())
  ring()
  expect(field().getAttribute('aria-expanded')).toBe('false')
  expect(screen.queryByRole('option')).toBeNull()
})

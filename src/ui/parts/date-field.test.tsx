import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState, type ReactNode } from 'react'
import { show } from '../screen.test-help'
import { DateField } from './date-field'

function Held({ start, isTimed = false, told }: { start: string; isTimed?: boolean; told: string[] }): ReactNode {
  const [value, setValue] = useState(start)
  return (
    <DateField
      label="First day"
      isTimed={isTimed}
      value={value}
      onChange={(next) => {
        told.push(next)
        setValue(next)
      }}
    />
  )
}
const parts = (): string =>
  screen
    .getAllByRole('spinbutton')
    .map((part) => part.textContent)
    .join(' ')

describe('a day', () => {
  it('stands in the order of the person: year first, unless chosen otherwise', () => {
    show(<Held start="2027-03-09" told={[]} />, {})
    expect(parts()).toBe('2027 03 09')
  })

  it('also with the day first', () => {
    show(<Held start="2027-03-09" told={[]} />, {}, { dateFormat: 'day-first' })
    expect(parts()).toBe('09 03 2027')
  })

  it('is typed part by part', async () => {
    const told: string[] = []
    show(<Held start="" told={told} />, {})
    await userEvent.click(screen.getAllByRole('spinbutton')[0] as HTMLElement)
    await userEvent.keyboard('20270309')
    await waitFor(() => expect(told.at(-1)).toBe('2027-03-09'))
    expect(screen.queryByText(/Give the whole/)).toBeNull()
  })

  it('that is half there is said, and handed on as something that no schema takes', async () => {
    const told: string[] = []
    show(<Held start="2027-03-09" told={told} />, {})
    await userEvent.click(screen.getAllByRole('spinbutton')[2] as HTMLElement)
    await userEvent.keyboard('{Backspace}{Backspace}')
    await waitFor(() => expect([parts(), told]).toEqual([expect.anything(), ['2027-03-??']]))
    expect(screen.getByText('Give the whole of it, or empty it.')).toBeTruthy()
    await userEvent.click(screen.getAllByRole('spinbutton')[2] as HTMLElement)
    await userEvent.keyboard('11')
    await waitFor(() => expect(told.at(-1)).toBe('2027-03-11'))
    expect(screen.queryByText(/Give the whole/)).toBeNull()
  })

  it('has a time where one is asked for, of 24 hours', async () => {
    const told: string[] = []
    show(<Held start="2027-03-09T14:05" isTimed told={told} />, {})
    expect(parts()).toBe('2027 03 09 14 05')
    await userEvent.click(screen.getAllByRole('spinbutton')[3] as HTMLElement)
    await userEvent.keyboard('23')
    await waitFor(() => expect(told.at(-1)).toBe('2027-03-09T23:05'))
  })
})

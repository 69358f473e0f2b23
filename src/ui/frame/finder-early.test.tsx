import { fireEvent } from '@testing-library/react'
import { useState, type ReactNode } from 'react'
import { show } from '../screen.test-help'
import { Finder } from './finder'

// The dialog is fetched when the first one opens: here it has not come yet.
jest.mock('../parts/dialog', () => ({ Dialog: () => null, fetchDialogs: () => undefined }))

const closed = jest.fn()
function Host(): ReactNode {
  const [isOpen, setOpen] = useState(true)
  const close = (): void => {
    closed()
    setOpen(false)
  }
  return <Finder isOpen={isOpen} onClose={close} />
}
const press = (...keys: string[]): void => {
  for (const key of keys) fireEvent.keyDown(document.body, { key })
}
beforeEach(() => closed.mockClear())

it('does what is typed, and its Enter, before the dialog is there', () => {
  show(<Host />, { 'GET /find': [] }, { at: '/watch' })
  press(...'new flow', 'Enter')
  expect(window.location.pathname).toBe('/work/flows/new')
  expect(closed).toHaveBeenCalledTimes(1)
})

it('is left again before the dialog is there', () => {
  show(<Host />, { 'GET /find': [] }, { at: '/watch' })
  press('n', 'Escape')
  expect(closed).toHaveBeenCalledTimes(1)
  press('Enter')
  expect(window.location.pathname).toBe('/watch')
})

import { fireEvent, render, screen } from '@testing-library/react'
import type { ComponentProps, ReactNode } from 'react'
import { Link } from './link'

jest.mock('next/link', () => ({
  __esModule: true,
  default: ({ prefetch, href, ...props }: ComponentProps<'a'> & { prefetch: unknown }): ReactNode => (
    <a href={String(href)} data-prefetch={String(prefetch)} {...props} />
  ),
}))

describe('a link', () => {
  it.each([
    ['the pointer', fireEvent.pointerEnter],
    ['the focus', fireEvent.focus],
  ])('fetches its page ahead only once %s is on it', (_, come) => {
    const onPointerEnter = jest.fn()
    render(
      <Link href="/runs" onPointerEnter={onPointerEnter}>
        Runs
      </Link>,
    )
    const link = screen.getByRole('link', { name: 'Runs' })
    expect(link.getAttribute('data-prefetch')).toBe('false')
    come(link)
    expect(link.getAttribute('data-prefetch')).toBe('auto')
    expect(onPointerEnter).toHaveBeenCalledTimes(come === fireEvent.pointerEnter ? 1 : 0)
  })
})

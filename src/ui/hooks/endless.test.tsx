import { act, render } from '@testing-library/react'
import { useEndless } from './endless'

/** Says of whatever is looked at that it is in sight, as a browser does with each new look. */
class Sight {
  static live = 0
  constructor(private readonly say: (entries: { isIntersecting: boolean }[]) => void) {
    Sight.live++
  }
  observe = (): void => this.say([{ isIntersecting: true }])
  unobserve = (): void => undefined
  disconnect = (): void => void Sight.live--
}

function List({ fetchNext, count }: { fetchNext: () => unknown; count: number }): React.ReactNode {
  return <div ref={useEndless(fetchNext, true, count)} />
}

it('asks again when what it asked for came to nothing, and not once there are more rows', async () => {
  jest.useFakeTimers()
  const before = globalThis.IntersectionObserver
  globalThis.IntersectionObserver = Sight as never
  try {
    // A look at all pages, because something changed, takes the place of the next page.
    const fetchNext = jest.fn(() => Promise.resolve())
    const { rerender, unmount } = render(<List fetchNext={fetchNext} count={60} />)
    expect(fetchNext).toHaveBeenCalledTimes(1)
    await act(() => jest.advanceTimersByTimeAsync(1500))
    expect(fetchNext).toHaveBeenCalledTimes(2)
    rerender(<List fetchNext={fetchNext} count={120} />)
    expect(fetchNext).toHaveBeenCalledTimes(3)
    unmount()
    await act(() => jest.advanceTimersByTimeAsync(5000))
    expect([fetchNext.mock.calls.length, Sight.live]).toEqual([3, 0])
  } finally {
    globalThis.IntersectionObserver = before
    jest.useRealTimers()
  }
})

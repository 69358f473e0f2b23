import { renderHook } from '@testing-library/react'
import { useAddress } from './address'

jest.mock('next/navigation', () => ({
  usePathname: () => '/work/flows/46',
  useSearchParams: () => mockParams,
}))
let mockParams: URLSearchParams

describe('the address as the state of a screen', () => {
  let hook: ReturnType<typeof renderHook<ReturnType<typeof useAddress>, unknown>>
  const address = (): ReturnType<typeof useAddress> => hook.result.current
  const inWindow = (search: string): void => window.history.replaceState(null, '', `/work/flows/46?${search}`)
  const write = (changes: Record<string, string | null>): void => address().set(changes, 'replace')
  /** Addresses are drawn when the test says so, and what is drawn is written into the window again, as Next does. */
  const draw = (search: string): void => {
    mockParams = new URLSearchParams(search)
    inWindow(search)
    hook.rerender()
  }
  beforeEach(() => {
    inWindow('step=post')
    mockParams = new URLSearchParams('step=post')
    hook = renderHook(() => useAddress())
  })

  it('goes on from what was written last while older addresses are drawn, and writes that one', () => {
    write({ tab: 'rehearse' })
    write({ step: 'draw' })
    draw('step=post&tab=rehearse')
    expect(address().values).toEqual({ step: 'post', tab: 'rehearse' })
    expect(address().now()).toEqual({ step: 'draw', tab: 'rehearse' })
    write({ day: '2027-03-09' })
    expect(window.location.search).toBe('?step=draw&tab=rehearse&day=2027-03-09')
    draw('step=draw&tab=rehearse')
    draw('step=draw&tab=rehearse&day=2027-03-09')
    expect(address().now()).toEqual(address().values)
  })

  it('is what the window says once all is drawn, or after going back or elsewhere', () => {
    write({ step: 'draw' })
    draw('step=draw')
    inWindow('step=print')
    expect(address().now()).toEqual({ step: 'print' })

    write({ step: 'other' })
    draw('step=linked')
    expect(address().now()).toEqual({ step: 'linked' })

    write({ step: 'gone' })
    inWindow('step=before')
    window.dispatchEvent(new PopStateEvent('popstate'))
    expect(address().now()).toEqual({ step: 'before' })

    write({ step: 'before' })
    inWindow('step=elsewhere')
    expect(address().now()).toEqual({ step: 'elsewhere' })
  })
})

import { act, fireEvent, render, screen } from '@testing-library/react'
import { useState, type ComponentProps, type ReactNode } from 'react'
import { drawnStep } from '@/core/flow/drawn.test-help'
import type { FlowPicture } from './flow-picture'
import { picture as drawn } from './picture.test-help'

const STEPS = [drawnStep(0), drawnStep(1, [0]), drawnStep(2, [1])]
const TIMES = STEPS.map(({ index }) => ({ start: index * 60_000, end: (index + 1) * 60_000 }))
const TITLES = ['Draw', 'Print', 'Post']

const picture = (change: Partial<ComponentProps<typeof FlowPicture>> = {}): ReactNode =>
  drawn(TITLES, { steps: STEPS, ...change })

describe('the picture of a flow', () => {
  it('comes to rest: once its size is known it is not drawn again', async () => {
    const before = globalThis.ResizeObserver
    // As browsers do: an observer is told of the size soon after it begins to look.
    globalThis.ResizeObserver = class {
      constructor(readonly tell: () => void) {}
      observe(): void {
        setTimeout(() => act(this.tell))
      }
      disconnect(): void {}
    } as never
    try {
      const lookOf = jest.fn(() => ({ title: '', detail: '', state: 'planned' as const }))
      render(picture({ lookOf }))
      await act(() => new Promise((resolve) => setTimeout(resolve, 100)))
      const drawn = lookOf.mock.calls.length
      await act(() => new Promise((resolve) => setTimeout(resolve, 100)))
      expect(lookOf.mock.calls.length).toBe(drawn)
    } finally {
      globalThis.ResizeObserver = before
    }
  })

  it('gives a step that is kept from running a row of its own, where the one before it has no room for its title any more', () => {
    const rowOf = (title: string): string | null =>
      screen
        .getByRole('img', { name: new RegExp(`^${title}`) })
        .querySelector('rect')
        ?.getAttribute('y') ?? null
    const { rerender } = render(picture({ usual: TIMES }))
    expect(rowOf('Post')).toBe(rowOf('Print'))
    const kept = [TIMES[0], { start: 60_000, end: 60_000 }, { start: 60_000, end: 120_000 }] as typeof TIMES
    rerender(picture({ usual: kept, times: kept }))
    expect(rowOf('Print')).toBe(rowOf('Draw'))
    expect(rowOf('Post')).not.toBe(rowOf('Print'))
  })

  it('zooms around the pointer with Ctrl and the wheel, and leaves the wheel alone without', () => {
    render(picture())
    const box = screen.getByRole('application')
    // A picture that begins 16 pixels from the left: what is under the pointer at 216 is 200 pixels of it.
    const turn = (deltaY: number, ctrlKey: boolean): boolean =>
      fireEvent.wheel(box, { deltaY, ctrlKey, clientX: 216 }) as boolean
    expect(turn(-200, false)).toBe(true)
    expect(screen.getByText('the whole')).toBeTruthy()
    expect(turn(-30, true)).toBe(false)
    expect(turn(-80, true)).toBe(false)
    expect(screen.getByText('× 2')).toBeTruthy()
    expect(box.scrollLeft).toBe(200)
    turn(200, true)
    expect(screen.getByText('the whole')).toBeTruthy()
    expect(box.scrollLeft).toBe(0)
  })

  it('goes on from the step that the last key chose, whatever older choice is drawn in between', () => {
    let drawn: (index: number | null) => void = () => undefined
    let now: number | null = 2
    // What was chosen comes back late, as through an address: here when the test says so.
    function Late(): ReactNode {
      const [chosen, setChosen] = useState<number | null>(null)
      drawn = setChosen
      return picture({ chosen, chosenNow: () => now, onChoose: (index) => (now = index) })
    }
    render(<Late />)
    const box = screen.getByRole('application')
    fireEvent.keyDown(box, { key: 'Home' })
    expect(now).toBe(0)
    act(() => drawn(2))
    fireEvent.keyDown(box, { key: 'ArrowRight' })
    expect(now).toBe(1)
    act(() => drawn(0))
    fireEvent.keyDown(box, { key: 'ArrowRight' })
    expect(now).toBe(2)
  })

  it('names the last of several steps that were passed over at one instant', () => {
    const at = { start: 60_000, end: 60_000 }
    render(picture({ times: [TIMES[0]!, at, at], usual: TIMES }))
    const shown = (name: string): string => screen.getByRole('img', { name }).querySelector('text')?.textContent ?? ''
    expect([shown('Print'), shown('Post')]).toEqual(['', 'Post'])
  })
})

import { createEvent, fireEvent, render, screen } from '@testing-library/react'
import { drawnStep } from '@/core/flow/drawn.test-help'
import { picture } from './picture.test-help'
import { GATE_TYPE, WORK_TYPE, type Taking } from './use-drags'

// 0 Draw, 1 Print, 2 Post; 3 Check, a flow step with 4 Look in it.
const STEPS = [
  drawnStep(0),
  drawnStep(1, [0]),
  drawnStep(2, [1]),
  { ...drawnStep(3), isFlow: true },
  { ...drawnStep(4), parent: 3 },
]
const TITLES = ['Draw', 'Print', 'Post', 'Check', 'Look']

/** What is under the pointer: jsdom lays nothing out. */
let under: Element | null = null
beforeEach(() => {
  document.elementFromPoint = () => under
  // Every bar begins at 0 and is 90 pixels wide.
  jest
    .spyOn(Element.prototype, 'getBoundingClientRect')
    .mockReturnValue({ left: 0, top: 0, right: 90, bottom: 20, width: 90, height: 20 } as DOMRect)
})
afterEach(() => jest.restoreAllMocks())

function show(taking: Taking, groups: { id: string; members: number[] }[] = []): SVGSVGElement {
  render(picture(TITLES, { steps: STEPS, groups, ...taking }))
  return screen.getByRole('application').querySelector('svg') as SVGSVGElement
}
const bar = (name: string): Element => screen.getByRole('img', { name: new RegExp(`^${name}`) })

/** From a bar to another, or (null) to where nothing is; gives the words that stand at the pointer before it is let go. */
function drag(svg: Element, from: string, to: string | null, keys: object = {}): string {
  under = bar(from)
  // jsdom has no pointer events; those of the mouse carry the same keys and places.
  const tell = (kind: string): boolean => fireEvent(svg, new MouseEvent(kind, { bubbles: true, ...keys }))
  tell('pointerdown')
  under = to === null ? null : bar(to)
  tell('pointermove')
  const words = svg.lastElementChild?.textContent ?? ''
  tell('pointerup')
  return words
}

describe('dragging from step to step', () => {
  it('links them, leads a failure, or puts them together, and says so beforehand', () => {
    const onTie = jest.fn()
    const svg = show({ onTie })
    expect(drag(svg, 'Draw', 'Post')).toBe('Post after Draw')
    expect(drag(svg, 'Draw', 'Post', { shiftKey: true })).toBe('if Draw fails, Post')
    expect(drag(svg, 'Draw', 'Post', { ctrlKey: true })).toBe('Draw in one group with Post')
    expect(drag(svg, 'Draw', 'Post', { metaKey: true })).toBe('Draw in one group with Post')
    expect(onTie.mock.calls).toEqual([
      [0, 2, 'link'],
      [0, 2, 'route'],
      [0, 2, 'group'],
      [0, 2, 'group'],
    ])
  })

  it('does nothing where nothing is, but for taking a step out of its group; nor from a step to itself', () => {
    const onTie = jest.fn()
    const svg = show({ onTie })
    drag(svg, 'Draw', null)
    drag(svg, 'Draw', null, { shiftKey: true })
    drag(svg, 'Draw', 'Draw')
    drag(svg, 'Draw', 'Draw', { ctrlKey: true })
    expect(onTie).not.toHaveBeenCalled()
    expect(drag(svg, 'Draw', null, { ctrlKey: true })).toBe('Draw in no group')
    expect(onTie).toHaveBeenCalledWith(0, null, 'group')
  })

  it('takes the flow step for a step within it, and a folded group only for what shall be in it', async () => {
    const onTie = jest.fn()
    const svg = show({ onTie }, [{ id: 'harbours', members: [1, 2] }])
    drag(svg, 'Look', 'Draw')
    expect(onTie.mock.calls).toEqual([[3, 0, 'link']])
    fireEvent.click(screen.getByRole('button', { name: /Groups/ }))
    fireEvent.click(await screen.findByRole('option', { name: /harbours/ }))
    drag(svg, 'Draw', 'harbours')
    expect(onTie).toHaveBeenCalledTimes(1)
    drag(svg, 'Draw', 'harbours', { ctrlKey: true })
    expect(onTie).toHaveBeenLastCalledWith(0, 1, 'group')
  })

  it('begins nothing where the picture is only looked at', () => {
    const svg = show({})
    expect(drag(svg, 'Draw', 'Post')).toBe('')
  })
})

describe('what is dropped on a step', () => {
  /** At so many pixels from the left of a bar, or (null) beside all. */
  function drop(svg: Element, type: string, value: string, at: string | null, x = 0): string {
    under = at === null ? null : bar(at)
    const event = (kind: 'dragOver' | 'drop'): Event => {
      const made = createEvent[kind](svg)
      Object.assign(made, { clientX: x, clientY: 0 })
      Object.defineProperty(made, 'dataTransfer', {
        value: { types: [type], getData: (asked: string) => (asked === type ? value : '') },
      })
      return made
    }
    const over = event('dragOver')
    fireEvent(svg, over)
    const words = svg.lastElementChild?.textContent ?? ''
    fireEvent(svg, event('drop'))
    return over.defaultPrevented ? words : 'not taken'
  }

  it('is work before, beside or after it, or on its own', () => {
    const onDropWork = jest.fn()
    const svg = show({ onDropWork })
    expect(drop(svg, WORK_TYPE, 'job tide', 'Print', 10)).toBe('before Print')
    expect(drop(svg, WORK_TYPE, 'job tide', 'Print', 45)).toBe('beside Print')
    expect(drop(svg, WORK_TYPE, 'job tide', 'Print', 80)).toBe('after Print')
    expect(drop(svg, WORK_TYPE, 'job tide', null)).toBe('on its own')
    expect(onDropWork.mock.calls.map(([, place]) => place && [place.index, place.side])).toEqual([
      [1, 'before'],
      [1, 'beside'],
      [1, 'after'],
      null,
    ])
  })

  it('is a gate at its head, which needs a step', () => {
    const [onDropWork, onDropGate] = [jest.fn(), jest.fn()]
    const svg = show({ onDropWork, onDropGate })
    expect(drop(svg, GATE_TYPE, 'days year-end', 'Post', 45)).toBe('at the head of Post')
    expect(drop(svg, GATE_TYPE, 'days year-end', null)).toBe('onto the step that it is for')
    expect(onDropGate.mock.calls).toEqual([['days year-end', 2]])
    expect(onDropWork).not.toHaveBeenCalled()
  })

  it('is not taken where nothing can be changed, nor if it is something else', () => {
    expect(drop(show({}), GATE_TYPE, 'days year-end', 'Post')).toBe('not taken')
    const onDropWork = jest.fn()
    document.body.innerHTML = ''
    expect(drop(show({ onDropWork }), 'text/plain', 'a word', 'Post')).toBe('not taken')
    expect(onDropWork).not.toHaveBeenCalled()
  })
})

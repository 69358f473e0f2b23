import { withLabels } from './day-line-ahead'

const pennant = (at: number, label = 'Crew rosters 05:15'): { at: number; label: string } => ({ at, label })

describe('pennants of the day line', () => {
  it('are labelled on the right where there is room, else on the left, else not', () => {
    const sides = withLabels([pennant(300), pennant(313), pennant(326), pennant(900), pennant(1200)], 100, 1234)
    expect(sides.map(({ side }) => side)).toEqual(['left', null, 'right', 'right', 'left'])
  })

  it('never lie over each other: flags of one time stand side by side', () => {
    const lefts = withLabels([pennant(300), pennant(300), pennant(305), pennant(400)], 0, 1234).map(({ left }) => left)
    expect(lefts).toEqual([300, 310, 320, 400])
  })

  it('never stand beyond the end of the line', () => {
    expect(withLabels([pennant(1220), pennant(1225), pennant(1230)], 0, 1234).map(({ left }) => left)).toEqual([1220])
  })

  it('labels never cross what was labelled before', () => {
    const placed = withLabels([pennant(200), pennant(400), pennant(410)], 0, 500)
    const spans = placed.flatMap(({ left, label, side }) => {
      const width = label.length * 6 + 12
      return side === 'right' ? [[left, left + width]] : side === 'left' ? [[left - width, left]] : []
    }) as [number, number][]
    for (const [i, [from]] of spans.entries()) expect(from).toBeGreaterThanOrEqual(spans[i - 1]?.[1] ?? 0)
  })
})

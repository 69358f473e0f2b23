import type { Plan, PlanStep } from './plan'
import { deciding, drawnOf, rowsOf, timesOf, type Span } from './times'

const [LEFT, RIGHT, TOP, ROW, BAR, WIDTH] = [16, 220, 28, 28, 20, 1200]
const xml = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')
const clock = (seconds: number): string => {
  const [h, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, Math.round(seconds) % 60]
  return h > 0
    ? `${h}:${String(m).padStart(2, '0')}:${String(s).padStart(2, '0')}`
    : `${m}:${String(s).padStart(2, '0')}`
}

/** The flow on a time scale as an SVG document, each step as long as it is expected to take: the picture of the editor, without what only a screen has. */
export function flowSvg(plan: Plan): string {
  const drawn = drawnOf(plan.steps)
  const times = timesOf(drawn, (index) => plan.steps[index]?.expect ?? 0)
  const decides = deciding(drawn, times)
  const { places, rows } = rowsOf(
    drawn,
    () => true,
    () => false,
  )
  const last = Math.max(1, ...times.map(({ end }) => end))
  const x = (at: number): number => Math.round((LEFT + (at / last) * (WIDTH - LEFT - RIGHT)) * 10) / 10
  const y = (index: number): number => TOP + (places.get(index)?.row ?? 0) * ROW
  const spanOf = (index: number): Span => times[index] as Span
  const path = (from: number, to: number, look: string): string => {
    const [x1, y1, x2, y2] = [x(spanOf(from).end), y(from) + BAR / 2, x(spanOf(to).start), y(to) + BAR / 2]
    const bend = Math.max(14, Math.min(60, Math.abs(x2 - x1) / 2))
    return `<path d="M${x1} ${y1}C${x1 + bend} ${y1} ${x2 - bend} ${y2} ${x2} ${y2}" fill="none" stroke="#8a8578"${look}/>`
  }
  const lines = drawn.flatMap(({ index, links, routeTo }) => [
    ...links.map(({ from }) => path(from, index, '')),
    ...(routeTo >= 0 ? [path(index, routeTo, ' stroke-dasharray="4 3"')] : []),
  ])
  const bars = plan.steps.map(({ index, definition, gate }: PlanStep) => {
    const { start, end } = spanOf(index)
    const width = Math.max(5, x(end) - x(start))
    const name = definition.title ?? definition.id
    return [
      `<rect x="${x(start)}" y="${y(index)}" width="${width}" height="${BAR}" rx="2" fill="#e9e4d9"/>`,
      decides.has(index)
        ? `<rect x="${x(start)}" y="${y(index) + BAR + 1}" width="${width}" height="2.5" fill="#d9a132"/>`
        : '',
      gate === null
        ? ''
        : `<path d="M${x(start)} ${y(index) + 4.5}l5.5 5.5l-5.5 5.5l-5.5 -5.5z" fill="#fff" stroke="#6b665b"/>`,
      `<text x="${x(start) + width + 7}" y="${y(index) + 14}"><tspan font-weight="600">${xml(name)}</tspan> ${clock(end - start)}</text>`,
    ].join('')
  })
  const height = TOP + rows * ROW + 10
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${height}" viewBox="0 0 ${WIDTH} ${height}" font-family="sans-serif" font-size="12">
<title>${xml(plan.flow)}</title>
<text x="${LEFT}" y="16" fill="#6b665b">begins</text><text x="${x(last)}" y="16" text-anchor="end" fill="#6b665b">${clock(last)}</text>
${lines.join('\n')}
${bars.join('\n')}
</svg>
`
}

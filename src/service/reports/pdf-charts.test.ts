import fc from 'fast-check'
import type { ReportChart } from '@/core/reports/document'
import { chartSvg, ticksOf } from './pdf-charts'
import { pieces, printable } from './pdf-text'

const HERE = { zone: 'Europe/London', currency: 'GBP' }
const CHART: ReportChart = {
  title: 'Runs',
  kind: 'bars',
  unit: 'count',
  labels: ['2026-10-24', '2026-10-25'],
  series: [
    { title: 'went <well> & "so"', mark: 'good', values: [10, 0] },
    { title: 'failed', mark: 'bad', values: [5, 2] },
  ],
}

it('ticks of an axis are round, begin at nothing, and end at or above the most', () => {
  expect(ticksOf(0)).toEqual([0, 1])
  expect(ticksOf(15)).toEqual([0, 5, 10, 15])
  fc.assert(
    fc.property(fc.double({ min: 1e-6, max: 1e12, noNaN: true }), (most) => {
      const ticks = ticksOf(most)
      expect(ticks[0]).toBe(0)
      expect(ticks.at(-1)).toBeGreaterThanOrEqual(most * (1 - 1e-9))
      expect(ticks.length).toBeLessThanOrEqual(6)
    }),
  )
})

it('bars stand on one another, and words are words whatever is in them', () => {
  const svg = chartSvg(CHART, HERE)
  const bars = [...svg.matchAll(/<rect x="([\d.]+)" y="([\d.]+)" width="[\d.]+" height="([\d.]+)"/g)].map(
    ([, x, y, height]) => ({
      x: Number(x),
      y: Number(y),
      height: Number(height),
    }),
  )
  // Two squares of the legend, and three bars: what is nothing has none.
  expect(bars).toHaveLength(5)
  const [first, second] = bars
  expect((second?.y ?? 0) + (second?.height ?? 0)).toBeCloseTo(first?.y ?? 0, 1)
  expect((first?.height ?? 0) / (second?.height ?? 1)).toBeCloseTo(2, 1)
  expect(svg).toContain('went &lt;well&gt; &amp; &quot;so&quot;')
  expect(svg).toContain('Sat 24 Oct')
  expect(chartSvg({ ...CHART, kind: 'lines' }, HERE)).toContain('<polyline')
})

it('what our fonts do not draw becomes a question mark, the rest of Latin gets its own font', () => {
  expect(printable('Kelda → Łódź\u202f№ 漢')).toBe('Kelda > Łódź ? ?')
  expect(pieces('Kelda')).toBe('Kelda')
  expect(pieces('Łódź 7')).toEqual([{ text: 'Ł', font: 'ArchivoExt' }, 'ód', { text: 'ź', font: 'ArchivoExt' }, ' 7'])
  fc.assert(
    fc.property(fc.string({ unit: 'binary' }), (text) => {
      const all = pieces(text)
      const joined =
        typeof all === 'string' ? all : all.map((piece) => (typeof piece === 'string' ? piece : piece.text)).join('')
      expect(joined).toBe(printable(text))
    }),
  )
})

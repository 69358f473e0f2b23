import type { Mark, ReportChart } from '@/core/reports/document'
import { written, type Writing } from '@/core/reports/write'
import { printable } from './pdf-text'

const WIDTH = 515
const HEIGHT = 150
const LEFT = 46
const BOTTOM = 22
const TOP = 16
/** Readable in black and white too: light and dark differ, and failures are striped by their place on top. */
const COLOURS: Record<Mark, string> = { good: '#6a8f93', bad: '#b3261e', plain: '#c9b98f', before: '#8a5a00' }

const escaped = (text: string): string =>
  printable(text).replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')
const at = (value: number): string => value.toFixed(2)

/** Round steps of an axis that end at or above the most. */
export function ticksOf(most: number): number[] {
  if (!(most > 0)) return [0, 1]
  const rough = most / 4
  const power = 10 ** Math.floor(Math.log10(rough))
  const step = ([1, 2, 2.5, 5, 10].find((factor) => factor * power >= rough) ?? 10) * power
  return Array.from({ length: Math.ceil(most / step - 1e-9) + 1 }, (_, i) => i * step)
}

/** A chart as SVG: nothing but lines, bars and words. */
export function chartSvg({ kind, unit, labels, series }: ReportChart, writing: Writing): string {
  const stacked = kind === 'bars'
  const tops = labels.map((_, i) => {
    const values = series.map(({ values: all }) => Math.max(0, all[i] ?? 0))
    return stacked ? values.reduce((sum, value) => sum + value, 0) : Math.max(0, ...values)
  })
  const ticks = ticksOf(Math.max(0, ...tops))
  const most = ticks.at(-1) ?? 1
  const inner = WIDTH - LEFT
  const tall = HEIGHT - TOP - BOTTOM
  const y = (value: number): number => TOP + tall - (tall * value) / most
  const slot = inner / Math.max(1, labels.length)
  const parts: string[] = []
  for (const tick of ticks)
    parts.push(
      `<line x1="${LEFT}" x2="${WIDTH}" y1="${at(y(tick))}" y2="${at(y(tick))}" stroke="#ddd8cc" stroke-width="0.5"/>`,
      `<text x="${LEFT - 4}" y="${at(y(tick) + 2.5)}" text-anchor="end" font-size="7" fill="#5b6468">${escaped(written(unit === 'count' && tick % 1 !== 0 ? 'decimal' : unit, tick, writing))}</text>`,
    )
  const every = Math.ceil(labels.length / 12)
  labels.forEach((label, i) => {
    if (i % every !== 0) return
    const word = /^\d{4}-\d{2}-\d{2}$/.test(label) ? written('day', label, writing) : label
    parts.push(
      `<text x="${at(LEFT + slot * (i + 0.5))}" y="${HEIGHT - 8}" text-anchor="middle" font-size="7" fill="#5b6468">${escaped(word)}</text>`,
    )
  })
  if (stacked)
    labels.forEach((_, i) => {
      let level = 0
      for (const { values, mark } of series) {
        const value = Math.max(0, values[i] ?? 0)
        if (value === 0) continue
        parts.push(
          `<rect x="${at(LEFT + slot * (i + 0.12))}" y="${at(y(level + value))}" width="${at(slot * 0.76)}" height="${at(y(level) - y(level + value))}" fill="${COLOURS[mark]}"/>`,
        )
        level += value
      }
    })
  else
    series.forEach(({ values, mark }, nth) => {
      const points = values.flatMap((value, i) =>
        value === null ? [] : [`${at(LEFT + slot * (i + 0.5))},${at(y(value))}`],
      )
      parts.push(
        `<polyline points="${points.join(' ')}" fill="none" stroke="${COLOURS[mark]}" stroke-width="1.4"${nth > 0 ? ' stroke-dasharray="4 2"' : ''}/>`,
      )
    })
  let x = LEFT
  for (const { title, mark } of series) {
    parts.push(
      `<rect x="${x}" y="2" width="7" height="7" fill="${COLOURS[mark]}"/>`,
      `<text x="${x + 10}" y="8.5" font-size="7.5" fill="#12242a">${escaped(title)}</text>`,
    )
    x += 22 + title.length * 4.2
  }
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${HEIGHT}" viewBox="0 0 ${WIDTH} ${HEIGHT}" font-family="Archivo">${parts.join('')}</svg>`
}

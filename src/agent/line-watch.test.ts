import { LineWatch } from './line-watch'

let nowMs = 0
const watch = (): LineWatch => new LineWatch(() => nowMs)
function trip(line: LineWatch, ms: number): void {
  line.pinged()
  nowMs += ms
  line.ponged()
}

it('tells round trips of five minutes, and how often it came back within an hour', () => {
  const line = watch()
  line.up()
  expect(line.health(0, 0)).toEqual({ p50: null, p95: null, reconnects: 0, unstored: 0, clockMs: 0 })
  for (const ms of [1, 2, 3, 4, 100]) trip(line, ms)
  expect(line.health(7, 12.4)).toEqual({ p50: 3, p95: 100, reconnects: 0, unstored: 7, clockMs: 12 })
  line.up()
  line.up()
  expect(line.health(0, 0).reconnects).toBe(2)
  nowMs += 300_001
  expect(line.health(0, 0)).toMatchObject({ p50: null, reconnects: 2 })
  nowMs += 3_600_000
  expect(line.health(0, 0).reconnects).toBe(0)
  line.up()
  expect(line.health(0, 0).reconnects).toBe(1)
})

it('a pong that answers nothing of ours is no round trip; nor is one over a line that broke', () => {
  const line = watch()
  expect(line.ponged()).toBeNull()
  line.pinged()
  line.up()
  expect(line.ponged()).toBeNull()
  expect(line.health(0, 0).p50).toBeNull()
})

import fc from 'fast-check'
import { ringOf, ringWords, type LeadsTo } from './rings'

const by = (from: number, to: number, trigger: string | null = `${from}→${to}`): LeadsTo => ({ from, to, trigger })

it.each<[string, LeadsTo[], string | null]>([
  ['a job after itself', [by(1, 1)], 'W1 → (1→1) → W1'],
  ['two after each other', [by(1, 2), by(2, 1)], 'W1 → (1→2) → W2 → (2→1) → W1'],
  ['a chain', [by(1, 2), by(2, 3), by(1, 3)], null],
  // A flow (2) holds a job (3) after which it is started itself.
  ['a flow after its own step', [by(2, 3, null), by(3, 2)], 'W3 → (3→2) → W2 → W3'],
  ['steps alone', [by(1, 2, null), by(2, 1, null)], null],
  ['nothing', [], null],
])('%s', (_, leads, ring) => {
  const found = ringOf(leads)
  expect(found && ringWords(found, (work) => `W${work}`)).toBe(ring)
})

it('finds a ring exactly where following every way from a trigger comes back to it', () => {
  const work = fc.integer({ min: 0, max: 5 })
  const leads = fc.array(fc.record({ from: work, to: work, trigger: fc.option(fc.constant('t')) }), { maxLength: 9 })
  fc.assert(
    fc.property(leads, (all) => {
      // Naive: reachability by squaring, until nothing more is reached.
      const reach = Array.from({ length: 6 }, (_, a) => Array.from({ length: 6 }, (_x, b) => a === b))
      for (let round = 0; round < 6; round++)
        for (const { from, to } of all) for (const row of reach) if (row[from]) row[to] = true
      const isRing = all.some(({ from, to, trigger }) => trigger !== null && reach[to]?.[from])
      const found = ringOf(all)
      expect(found !== null).toBe(isRing)
      // What is told is a ring: each begins where the one before ends.
      for (const [i, step] of (found ?? []).entries()) expect(step.from).toBe(found?.at(i - 1)?.to)
      expect(found?.[0]?.trigger ?? 't').toBe('t')
    }),
  )
})

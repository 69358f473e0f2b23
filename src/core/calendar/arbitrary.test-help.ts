import fc from 'fast-check'
import { isoDay, parseIsoDay, WEEKDAYS } from './days'
import { ROLL_TO, type DayRule } from './rule'

const YEARS = [parseIsoDay('2024-01-01') as number, parseIsoDay('2030-12-31') as number] as const
export const someDay = fc.integer({ min: YEARS[0], max: YEARS[1] })
const monthDay = someDay.map((day) => isoDay(day).slice(5))

const leaf: fc.Arbitrary<DayRule> = fc.oneof(
  fc.uniqueArray(fc.constantFrom(...WEEKDAYS), { minLength: 1, maxLength: 7 }).map((weekdays) => ({ weekdays })),
  fc.array(someDay.map(isoDay), { maxLength: 6 }).map((dates) => ({ dates })),
  fc.tuple(monthDay, monthDay).map((between) => ({ between })),
  fc
    .constantFrom(
      { country: 'GB', region: 'SCT' },
      { country: 'NO' },
      { country: 'DE', region: 'BY', types: ['public' as const, 'bank' as const] },
    )
    .map((holidays) => ({ holidays })),
)

/** Day rules of every form but recurrences and calendars. `more`: further forms, such as calendars that are there. */
export function someRule(more: readonly fc.Arbitrary<DayRule>[] = [], depth = 3): fc.Arbitrary<DayRule> {
  const base = fc.oneof(leaf, ...more)
  if (depth === 0) return base
  const inner = someRule(more, depth - 1)
  return fc.oneof(
    { weight: 3, arbitrary: base },
    { weight: 1, arbitrary: fc.array(inner, { minLength: 1, maxLength: 3 }).map((any) => ({ any })) },
    { weight: 1, arbitrary: fc.array(inner, { minLength: 1, maxLength: 3 }).map((all) => ({ all })) },
    { weight: 1, arbitrary: inner.map((not) => ({ not })) },
    {
      weight: 2,
      arbitrary: fc
        .record({
          n: fc.oneof(fc.integer({ min: 1, max: 6 }), fc.integer({ min: -6, max: -1 })),
          of: inner,
          in: fc.constantFrom('week' as const, 'month' as const, 'quarter' as const, 'year' as const),
          yearStart: fc.option(fc.integer({ min: 1, max: 12 }), { nil: undefined }),
        })
        .map(({ yearStart, ...rest }): DayRule => ({ nth: yearStart === undefined ? rest : { ...rest, yearStart } })),
    },
    {
      weight: 2,
      arbitrary: fc
        .tuple(inner, fc.integer({ min: -40, max: 40 }), fc.option(inner, { nil: undefined }))
        .map(([of, days, counting]): DayRule => ({ shift: counting ? { of, days, counting } : { of, days } })),
    },
    {
      weight: 2,
      arbitrary: fc
        .tuple(inner, inner, fc.constantFrom(...ROLL_TO))
        .map(([of, onto, to]): DayRule => ({ roll: { of, onto, to } })),
    },
  )
}

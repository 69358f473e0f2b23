import { randomUUID } from 'node:crypto'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { many, one } from '@/store/db'
import { addCalendar, calendarSchema, readCalendar, saveCalendar } from './timing/calendars'
import { makeJob } from './fixtures.test-help'
import { addTrigger, newTriggerSchema } from './timing/triggers'

freshDatabase()

/** Each of the 35 ways to begin after another comes ten times. */
const ROUNDS = 350
/** Mondays, or Thursdays: never the same next start. */
const RULES = [{ weekdays: ['MO' as const] }, { weekdays: ['TH' as const] }]

it(`a trigger that is added while its calendar is saved has the next start of the new rule (${ROUNDS} times)`, async () => {
  const jobId = await makeJob()
  const { id, slug } = await addCalendar(ADMIN, calendarSchema.parse({ title: 'Boats', rule: RULES[0] }))
  for (let round = 0; round < ROUNDS; round++) {
    const { version } = await readCalendar(null, id)
    const trigger = newTriggerSchema.parse({
      title: randomUUID(),
      jobId,
      definition: { time: { at: ['12:00'] }, on: { calendar: slug } },
      sure: true,
    })
    const save = (): Promise<unknown> =>
      saveCalendar(ADMIN, id, {
        title: 'Boats',
        notes: '',
        rule: RULES[(round + 1) % 2] ?? RULES[0],
        version,
      } as Parameters<typeof saveCalendar>[2])
    // Whoever is first: one begins a little before the other, another little each time.
    const later = async (work: () => Promise<unknown>, turns: number): Promise<unknown> => {
      for (let i = 0; i < turns; i++) await new Promise((resolve) => setImmediate(resolve))
      return work()
    }
    const [, made] = await Promise.all([later(save, round % 7), later(() => addTrigger(ADMIN, trigger), round % 5)])
    const { next } = await one<{ next: Date }>(null, 'SELECT next_at AS next FROM triggers WHERE id = $1', [
      (made as { id: number }).id,
    ])
    expect(next.getUTCDay()).toBe((round + 1) % 2 === 0 ? 1 : 4)
    if (round % 50 === 49) await many(null, 'DELETE FROM triggers')
  }
}, 300_000)

import { seededRandom, seedOf } from '@/core/stats/random'
import type { Person } from './machine'

/** A made-up person at a robot: mostly helpful, sometimes late, sometimes not in the mood, sometimes at lunch. The same questions get the same answers. */
export function madeUpPerson(robot: string): Person {
  const heard = new Set<number>()
  return {
    robot,
    hear: ({ questions }, answer) => {
      for (const { ask, how } of questions) {
        if (how !== 'asked' || heard.has(ask)) continue
        heard.add(ask)
        const random = seededRandom(seedOf(robot, ask))
        const mood = random()
        // Nobody answers: the question ends by itself.
        if (mood > 0.9) continue
        const say = mood < 0.6 ? { do: 'now', ask } : mood < 0.75 ? { do: 'later', ask, minutes: 3 } : { do: 'no', ask }
        setTimeout(() => void answer(say).catch(() => undefined), 15_000 + random() * 90_000).unref()
      }
    },
  }
}

import { modelOf } from '@/core/forecast/build'
import { loadSolver } from '@/core/tuning/highs'
import { demandOf } from '@/core/tuning/demand'
import { Search } from '@/core/tuning/search'
import { tune } from '@/core/tuning/tune'
import { crowdedNight, FROM, HOURS } from './nights'

const WISH = { grid: 300, only: null, keep: new Set<string>() }
const clock = (): number => performance.now()

async function main(): Promise<void> {
  const solve = await loadSolver()
  for (const [triggers, pools, seed] of [
    [40, 3, 1],
    [40, 2, 8],
    [100, 4, 2],
    [300, 6, 3],
  ] as const) {
    const bundle = crowdedNight(triggers, pools, seed)
    const search = new Search(demandOf(bundle, modelOf(bundle, FROM, HOURS), WISH), 1)
    const line: string[] = []
    const began = clock()
    for (const seconds of [1, 5, 30]) {
      while (clock() - began < seconds * 1000) search.step(500)
      const { strain, relative } = search.best.score
      line.push(`${seconds} s: ${strain} / ${relative.toFixed(3)}`)
    }
    const { after, bound, proven } = tune(bundle, FROM, HOURS, WISH, { milliseconds: 10_000, clock, solve })
    console.log(
      `${triggers} triggers on ${pools} pools: strain / relative after ${line.join(', ')}; tune in 10 s ${after.strain} / ${after.relative.toFixed(3)}, bound ${bound.strain} / ${bound.relative.toFixed(3)}${proven ? ', proven' : ''}`,
    )
  }
}

void main()

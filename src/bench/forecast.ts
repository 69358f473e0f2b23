import { Agenda } from '@/core/forecast/heap'
import { modelOf } from '@/core/forecast/build'
import { recorded } from '@/core/forecast/report'
import { playSamples } from '@/core/forecast/sampled'
import { Simulation } from '@/core/forecast/simulation'
import { busyDay, FROM, HOURS } from './nights'

const ROUNDS = 9

function median(work: () => void): number {
  const times = Array.from({ length: ROUNDS }, () => {
    const began = performance.now()
    work()
    return performance.now() - began
  }).sort((a, b) => a - b)
  return times[ROUNDS >> 1] as number
}
const ms = (n: number): string => `${n.toFixed(1)} ms`

console.log(
  'Forecast by usual lengths, flows of 20 steps, beside its heap operations alone (as many instants put down and taken):',
)
for (const [flows, agents] of [
  [50, 20],
  [500, 200],
  [5000, 2000],
] as const) {
  const bundle = busyDay(flows, agents)
  const began = performance.now()
  const model = modelOf(bundle, FROM, HOURS)
  const making = performance.now() - began
  const { attempts } = recorded(model)
  const playing = median(() => new Simulation(model).play())
  const heap = median(() => {
    const agenda = new Agenda<number>()
    attempts.forEach(({ end }, i) => agenda.add(end ?? 0, i))
    while (agenda.first < Infinity) agenda.take()
  })
  console.log(
    `${attempts.length} runs, ${agents} agents, ${flows} flows: laid out ${ms(making)}, played ${ms(playing)}, heap ${ms(heap)}, ratio ${(playing / heap).toFixed(1)}`,
  )
}

const model = modelOf(busyDay(50, 20), FROM, HOURS)
const began = performance.now()
playSamples(model, 1, 0, 200)
const each = (performance.now() - began) / 200
console.log(`Samples of 1,000 runs: ${ms(each)} each, 1,000 in ${(each / 2).toFixed(1)} s on two workers`)

import { isoInstant } from '../timing/instants'
import { drawOf, keyOf, type Key } from './draws'
import { drawnLength, lengthBeyond } from './length'
import { datedOf, type Model, type Occurrence } from './model'
import { keyOfOccurrence, occurrenceKey, recorded, told, type Forecast } from './report'
import { Simulation } from './simulation'
import { type Lengths, type Task, type Witness } from './play'

/** What a draw is for. */
const [FAILS, FIRST, SECOND] = [0, 1, 2]

/** Of each occurrence with a deadline, by its key: when it succeeded in each sample, seconds since the epoch; NaN: it did not. */
export type Finishes = ReadonlyMap<string, Float64Array>

/** What all samples have in common: a key for each run, made once. */
class Draws {
  private readonly keys = new Map<Occurrence, (Key | undefined)[]>()

  /** The draws of one sample. They depend on seed, sample, trigger, occurrence, step and try, and on nothing else. */
  of(seed: number, sample: number): Lengths {
    const own = keyOf([seed, sample])
    const keyFor = (task: Task): Key => this.keyFor(task)
    return {
      seconds: (task) => {
        const { length } = task.step
        if (length.sigma === 0 && length.samples === null) return length.p50
        const key = keyFor(task)
        return drawnLength(
          length,
          drawOf(key, own, task.begun, FIRST as number),
          drawOf(key, own, task.begun, SECOND as number),
        )
      },
      beyond: (task, elapsed) =>
        lengthBeyond(task.step.length, elapsed, drawOf(keyFor(task), own, task.begun, FIRST as number)),
      fails: (task) => task.step.fails > 0 && drawOf(keyFor(task), own, task.begun, FAILS as number) < task.step.fails,
    }
  }

  private keyFor({ night: { of }, step }: Task): Key {
    let keys = this.keys.get(of)
    if (!keys) this.keys.set(of, (keys = []))
    return (keys[step.index] ??= keyOf([
      of.trigger.id,
      of.at,
      step.path ?? '',
      ...(of.trigger.machine === null ? [] : [of.trigger.machine]),
    ]))
  }
}

/** Plays samples `first` to before `first + count`: whoever asks for them gets the same. `witness`: who is told of the i-th of these. */
export function playSamples(
  model: Model,
  seed: number,
  first: number,
  count: number,
  onSample: (done: number) => void = () => undefined,
  witness: (i: number) => Witness | null = () => null,
): Finishes {
  // By the occurrence itself: to write its key for each sample would cost more than all else here.
  const out = new Map(datedOf(model).map((of) => [of, new Float64Array(count).fill(NaN)]))
  const draws = new Draws()
  for (let i = 0; i < count; i++) {
    const { nights } = new Simulation(model, draws.of(seed, first + i), witness(i)).play()
    for (const { of, state, finish } of nights)
      if (of.due !== null && state === 'succeeded' && finish !== null) (out.get(of) as Float64Array)[i] = finish
    onSample(i + 1)
  }
  return new Map([...out].map(([of, finishes]) => [keyOfOccurrence(of), finishes]))
}

/** The ⌈qn⌉-th smallest; null of none. */
function quantile(sorted: Float64Array, q: number): number | null {
  return sorted.length === 0 ? null : (sorted[Math.ceil(q * sorted.length) - 1] as number)
}

/** The forecast with what the samples say of its deadlines; `finishes`: those of all samples, in any order. */
export function withSamples(forecast: Forecast, finishes: readonly Finishes[], samples: number): Forecast {
  return {
    ...forecast,
    deadlines: forecast.deadlines.map((deadline) => {
      const [key, due] = [occurrenceKey(deadline), Date.parse(deadline.due) / 1000]
      const all = finishes.flatMap((part) => [...(part.get(key) ?? [])].filter((at) => !Number.isNaN(at)))
      const sorted = Float64Array.from(all).sort()
      const inTime = sorted.reduce((n, at) => n + (at <= due ? 1 : 0), 0)
      const [p50, p90] = [quantile(sorted, 0.5), quantile(sorted, 0.9)]
      const { decidedBy, ...facts } = deadline
      return {
        ...facts,
        chance: inTime / samples,
        finishP50: p50 === null ? null : isoInstant(p50),
        finishP90: p90 === null ? null : isoInstant(p90),
        decidedBy,
      }
    }),
  }
}

/** The forecast of a model, in one go; `samples` 0: by usual lengths alone. */
export function forecastOf(model: Model, samples = 0, seed = 1): Forecast {
  const forecast = told(model, recorded(model))
  return samples === 0 ? forecast : withSamples(forecast, [playSamples(model, seed, 0, samples)], samples)
}

import { checkBundle } from '@/core/bundle/check'
import { FORMAT, type Bundle } from '@/core/bundle/schema'
import { timeOfDay } from '@/core/calendar/days'
import { seededRandom } from '@/core/stats/random'

/** Midnight in UTC. */
export const FROM = Date.UTC(2027, 2, 9) / 1000
export const HOURS = 24

function checked(bundle: object): Bundle {
  const result = checkBundle(bundle)
  if (!result.ok) throw new Error(JSON.stringify(result.faults.slice(0, 3)))
  return result.bundle
}

/** Flows of 20 steps each, spread over a day, on agents of four slots in pools of twenty. */
export function busyDay(flows: number, agents: number, seed = 1): Bundle {
  const random = seededRandom(seed)
  const pools = Array.from({ length: Math.max(1, agents / 20) }, (_, i) => ({ id: `pool-${i}` }))
  const poolOf = (i: number): string => pools[i % pools.length]?.id as string
  const jobs = Array.from({ length: 200 }, (_, i) => ({
    id: `job-${i}`,
    pool: poolOf(i),
    slots: i % 7 === 0 ? 2 : 1,
    expect: { p50: `PT${30 + Math.floor(random() * 600)}S`, p90: `PT${700 + Math.floor(random() * 600)}S` },
  }))
  return checked({
    format: FORMAT,
    pools,
    agents: Array.from({ length: agents }, (_, i) => ({ id: `agent-${i}`, slots: 4, pools: [poolOf(i)] })),
    jobs,
    flows: Array.from({ length: flows }, (_, f) => ({
      id: `flow-${f}`,
      steps: Array.from({ length: 20 }, (_, k) => ({
        id: `step-${k}`,
        job: `job-${Math.floor(random() * jobs.length)}`,
        after: k === 0 ? [] : [{ step: `step-${Math.max(0, k - 1 - Math.floor(random() * 3))}` }],
      })),
    })),
    triggers: Array.from({ length: flows }, (_, f) => ({
      id: `trigger-${f}`,
      start: { flow: `flow-${f}` },
      time: { at: [timeOfDay(Math.floor(random() * 1440) * 60)] },
      finishBy: '06:00',
    })),
  })
}

/** Chains of one to four steps that begin early in the night, each within some hours, on a few crowded pools. */
export function crowdedNight(triggers: number, pools: number, seed: number): Bundle {
  const random = seededRandom(seed)
  const whole = (below: number): number => Math.floor(random() * below)
  const jobs: object[] = []
  const flows: object[] = []
  const made = Array.from({ length: triggers }, (_, i) => {
    const steps = Array.from({ length: 1 + whole(4) }, (_, k) => {
      const id = `job-${i}-${k}`
      jobs.push({ id, pool: `pool-${whole(pools)}`, slots: random() < 0.25 ? 2 : 1, expect: `PT${60 + whole(2400)}S` })
      return { id: `step-${k}`, job: id, after: k > 0 ? [{ step: `step-${k - 1}` }] : [] }
    })
    flows.push({ id: `flow-${i}`, steps })
    const at = 60 + whole(60) * 5
    const window = { earliest: timeOfDay(Math.max(0, at - whole(120)) * 60), latest: timeOfDay((at + whole(120)) * 60) }
    return {
      id: `trigger-${i}`,
      start: { flow: `flow-${i}` },
      time: { at: [timeOfDay(at * 60)] },
      window,
      overlap: 'start',
      ...(random() < 0.4 ? { finishBy: timeOfDay((at + 60 + whole(240)) * 60) } : {}),
    }
  })
  return checked({
    format: FORMAT,
    pools: Array.from({ length: pools }, (_, i) => ({
      id: `pool-${i}`,
      slots: Math.max(2, Math.round(triggers / pools / 6)),
    })),
    jobs,
    flows,
    triggers: made,
  })
}

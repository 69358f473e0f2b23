/** What was told of a deadline, and what came. Instants are seconds since the epoch. */
export interface ToldAndCame {
  /** Chance to be in time. */
  readonly chance: number
  readonly inTime: boolean
  /** Median finish that was told; null: in no sample it succeeded. */
  readonly finishP50: number | null
  /** null: it did not end well. */
  readonly finish: number | null
  /** How long it took in all, seconds; null: unknown. */
  readonly length: number | null
}

interface Bin {
  /** Chances from here, included, to there, excluded but for 1. */
  readonly from: number
  readonly to: number
  readonly count: number
  /** Mean chance told, and share that was in time. */
  readonly told: number
  readonly came: number
}

export interface Scores {
  readonly count: number
  readonly inTime: number
  /** Mean squared error of the chances (Brier 1950, “Verification of forecasts expressed in terms of probability”); of always telling the share in time it would be `brierOfShare`. */
  readonly brier: number | null
  readonly brierOfShare: number | null
  readonly bins: readonly Bin[]
  /** Absolute errors of the finish, seconds; and the median as a share of the length. */
  readonly errorP50: number | null
  readonly errorP90: number | null
  readonly relativeP50: number | null
}

const EDGES = [0, 0.2, 0.4, 0.6, 0.8, 0.9, 0.95, 1] as const

/** How right forecasts were: a reliability diagram, the Brier score, and how far off the finish was. */
export function scoresOf(all: readonly ToldAndCame[]): Scores {
  const count = all.length
  const inTime = all.filter((each) => each.inTime).length
  const share = count === 0 ? 0 : inTime / count
  const mean = (of: (each: ToldAndCame) => number, list: readonly ToldAndCame[] = all): number =>
    list.reduce((sum, each) => sum + of(each), 0) / list.length
  const outcome = ({ inTime: is }: ToldAndCame): number => (is ? 1 : 0)
  const ended = all.filter(({ finish, finishP50 }) => finish !== null && finishP50 !== null)
  const error = ({ finish, finishP50 }: ToldAndCame): number => Math.abs((finish as number) - (finishP50 as number))
  const errors = ended.map(error).sort((a, b) => a - b)
  const relative = ended
    .flatMap((each) => (each.length !== null && each.length > 0 ? [error(each) / each.length] : []))
    .sort((a, b) => a - b)
  const at = (sorted: readonly number[], q: number): number | null => sorted[Math.ceil(q * sorted.length) - 1] ?? null
  return {
    count,
    inTime,
    brier: count === 0 ? null : mean((each) => (each.chance - outcome(each)) ** 2),
    brierOfShare: count === 0 ? null : mean((each) => (share - outcome(each)) ** 2),
    bins: EDGES.slice(0, -1).flatMap((from, i): Bin[] => {
      const to = EDGES[i + 1] as number
      const inside = all.filter(({ chance }) => chance >= from && (chance < to || (to === 1 && chance === 1)))
      if (inside.length === 0) return []
      return [
        { from, to, count: inside.length, told: mean(({ chance }) => chance, inside), came: mean(outcome, inside) },
      ]
    }),
    errorP50: at(errors, 0.5),
    errorP90: at(errors, 0.9),
    relativeP50: at(relative, 0.5),
  }
}

/** So long before its deadline each forecast is kept as it was, seconds; and as it was when its work had begun. */
export const LEADS = { '8h': 8 * 3600, '2h': 2 * 3600, '10m': 600 } as const
export type Lead = keyof typeof LEADS | 'begun'

export interface ToldRow extends ToldAndCame {
  readonly lead: Lead
  readonly trigger: string
  readonly title: string
}

export interface Scored {
  readonly byLead: Readonly<Record<Lead, Scores>>
  /** Of what was told two hours before; those that were least right first. */
  readonly byTrigger: readonly { readonly trigger: string; readonly title: string; readonly scores: Scores }[]
}

/** Scores by how long before it was told, and by trigger. */
export function scored(rows: readonly ToldRow[]): Scored {
  const leads: Lead[] = [...(Object.keys(LEADS) as Lead[]), 'begun']
  const two = rows.filter(({ lead }) => lead === '2h')
  const triggers = new Map(two.map(({ trigger, title }) => [trigger, title]))
  return {
    byLead: Object.fromEntries(
      leads.map((lead) => [lead, scoresOf(rows.filter((row) => row.lead === lead))]),
    ) as unknown as Scored['byLead'],
    byTrigger: [...triggers]
      .map(([trigger, title]) => ({ trigger, title, scores: scoresOf(two.filter((row) => row.trigger === trigger)) }))
      .sort((a, b) => (b.scores.brier ?? 0) - (a.scores.brier ?? 0)),
  }
}

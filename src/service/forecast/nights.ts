import { isTimed } from '@/core/events/kinds'
import { z } from 'zod'
import { changesSchema, type Change } from '@/core/forecast/change'
import { changed } from '@/core/forecast/changed'
import { differenceOf, type Difference } from '@/core/forecast/difference'
import { ForecastFault } from '@/core/forecast/model'
import { nightOf, type NightForecast } from '@/core/forecast/night'
import { isLater, laterOf, type Server } from '@/core/forecast/server'
import { demandPicture, type DemandPicture } from '@/core/tuning/picture'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { invalid } from '@/service/base/problem'
import { many } from '@/store/db'
import { chanceLimits } from './chances'
import { forecastMaterial, type Material } from './material'

const MOST_HOURS = 7 * 24
const MOST_SAMPLES = 1000

export const stretchSchema = z.strictObject({
  from: z.iso.datetime({ offset: true }),
  hours: z.coerce.number().int().min(1).max(MOST_HOURS),
})
export const nightSchema = stretchSchema.extend({
  samples: z.coerce.number().int().min(0).max(MOST_SAMPLES).default(0),
})
export const whatIfSchema = nightSchema.extend({ changes: changesSchema })

export interface NightView {
  readonly forecast: NightForecast
  readonly demand: DemandPicture
}

/** The material of a stretch: from what runs and waits, if it begins now; else as a night begins on which every agent that is switched on calls. */
async function materialFor(actor: Actor, fromMs: number): Promise<Material> {
  const material = await forecastMaterial(actor)
  return isLater(fromMs / 1000, material.now) ? { ...material, server: laterOf(material.server) } : material
}

/** Nothing of what was can be foreseen: a stretch begins now at the earliest, and still ends where it was to end. */
function fromNowOn(from: string, hours: number, now: number): { from: number; hours: number } {
  const begins = Math.floor(Date.parse(from) / 1000)
  if (begins >= now) return { from: begins, hours }
  const left = Math.ceil((begins + hours * 3600 - now) / 3600)
  if (left < 1) throw invalid('from', 'This stretch is over: take one that is still to come.')
  return { from: now, hours: left }
}

/** What is wrong with the definitions or the changes, at its place. */
export function blaming<T>(work: () => T): T {
  try {
    return work()
  } catch (error) {
    throw error instanceof ForecastFault ? invalid(error.path || 'from', error.message) : error
  }
}

/** What the names in a forecast stand for, for whoever shows it. */
export interface Names {
  readonly triggers: Readonly<
    Record<
      string,
      {
        readonly id: number
        readonly title: string
        /** Its one time of day; null: it has several, or another rule. */
        readonly at: string | null
        readonly window: { readonly earliest: string; readonly latest: string } | null
        readonly finishBy: string | null
      }
    >
  >
  readonly jobs: Readonly<Record<string, string>>
}

async function namesOf(): Promise<Names> {
  const [triggers, jobs] = await Promise.all([
    many<{ slug: string } & Names['triggers'][string]>(
      null,
      `SELECT slug, id, title, CASE WHEN jsonb_array_length(CASE WHEN jsonb_typeof(definition->'time'->'at') = 'array' THEN definition->'time'->'at' ELSE '[]' END) = 1
                                    THEN definition->'time'->'at'->>0 END AS at, definition->'window' AS "window", definition->>'finishBy' AS "finishBy"
         FROM triggers WHERE deleted_at IS NULL`,
    ),
    many<{ slug: string; title: string }>(
      null,
      'SELECT slug, title FROM jobs WHERE NOT is_flow AND deleted_at IS NULL',
    ),
  ])
  return {
    triggers: Object.fromEntries(triggers.map(({ slug, ...rest }) => [slug, rest])),
    jobs: Object.fromEntries(jobs.map(({ slug, title }) => [slug, title])),
  }
}

export interface Night extends NightView {
  readonly names: Names
  readonly agents: readonly string[]
  readonly locks: readonly string[]
  /** The pool of each job; '' of one that names none. */
  readonly poolOf: Readonly<Record<string, string>>
  readonly limits: { readonly amber: number; readonly red: number }
  /** Definitions that cannot be read. */
  readonly leftOut: readonly string[]
  /** Titles of triggers that start by what happens: nobody foresees it. */
  readonly byEvents: readonly string[]
  /** Jobs whose lengths are guesses, of so many that run. */
  readonly guesses: readonly string[]
  readonly jobs: number
}

export async function nightView(actor: Actor, { from, hours, samples }: z.output<typeof nightSchema>): Promise<Night> {
  requireSomewhere(actor, 'see')
  const material = await materialFor(actor, Date.parse(from))
  const stretch = fromNowOn(from, hours, material.now)
  const view = blaming(() => viewOf(material, stretch, Date.parse(from) / 1000, hours, samples))
  const ran = new Set(view.forecast.runs.map(({ target }) => target))
  return {
    ...view,
    names: await namesOf(),
    agents: material.bundle.agents.map(({ id }) => id),
    locks: material.bundle.locks.map(({ id }) => id),
    poolOf: Object.fromEntries(material.bundle.jobs.map(({ id, pool }) => [id, pool ?? ''])),
    limits: await chanceLimits(),
    leftOut: material.leftOut,
    byEvents: material.bundle.triggers
      .filter((trigger) => trigger.enabled && !isTimed(trigger))
      .map(({ id, title }) => title ?? id),
    guesses: [...ran].filter((job) => material.server.lengths[job]?.isGuess).sort(),
    jobs: ran.size,
  }
}

function viewOf(
  material: { readonly bundle: Material['bundle']; readonly server: Server | null },
  stretch: { from: number; hours: number },
  from: number,
  hours: number,
  samples: number,
): NightView {
  return {
    forecast: nightOf(material, stretch.from, stretch.hours, { samples }),
    // Demand is the whole stretch’s: it knows no now.
    demand: demandPicture(
      { bundle: material.bundle, server: material.server && laterOf(material.server) },
      Math.floor(from),
      hours,
    ),
  }
}

export interface WhatIf {
  readonly before: NightView
  readonly after: NightView
  readonly difference: Difference
}

/** A stretch as it is, and with changes: on the same samples, so that what differs comes of the changes. */
export async function whatIf(
  actor: Actor,
  { from, hours, samples, changes }: z.output<typeof whatIfSchema>,
): Promise<WhatIf> {
  requireSomewhere(actor, 'see')
  const material = await materialFor(actor, Date.parse(from))
  const stretch = fromNowOn(from, hours, material.now)
  return blaming(() => {
    const after = changed(material, changes as readonly Change[])
    const [was, is] = [material, after].map((each) =>
      viewOf(each, stretch, Date.parse(from) / 1000, hours, samples),
    ) as [NightView, NightView]
    return { before: was, after: is, difference: differenceOf(was.forecast, is.forecast) }
  })
}

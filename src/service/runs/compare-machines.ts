import { createHash } from 'node:crypto'
import type { z } from 'zod'
import { groupsOf } from '@/core/compare/groups'
import { compareLines } from '@/core/compare/lines'
import { many, maybeOne } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { notFound } from '@/service/base/problem'
import { compareSchema, maskOf, outputLines, SAME_START } from './compare'

export const compareMachinesSchema = compareSchema.pick({ off: true, own: true })

/** So many machines, and so many lines of all of them, are compared. */
const MOST_MACHINES = 500
const MOST_LINES = 1_000_000
/** Of a group so many lines are told that the most do not have, or that it lacks. */
const MOST_TOLD = 6

interface MachineRun {
  readonly id: number
  readonly machine: string
  readonly state: string
}

/** Machines that wrote the same. */
export interface MachineGroup {
  readonly runs: readonly MachineRun[]
  /** Lines of output of each. */
  readonly lines: number
  /** What it has and the largest group has not (`+`), and the other way round (`-`); of the largest group nothing. */
  readonly differs: readonly { readonly sign: '+' | '-'; readonly text: string }[]
  /** More differs than is told. */
  readonly more: number
}

export interface Machines {
  readonly title: string
  readonly occurrence: string | null
  /** The odd ones first; the last is the largest. */
  readonly groups: readonly MachineGroup[]
  /** Those that have not ended, or wrote more than is compared. */
  readonly leftOut: readonly MachineRun[]
}

interface Row extends MachineRun {
  readonly attempt: number | null
  readonly isOver: boolean
}

/** The runs of one start on many machines, by what they wrote. */
export async function compareMachines(
  actor: Actor,
  id: number,
  counted: z.output<typeof compareMachinesSchema>,
): Promise<Machines> {
  requireSomewhere(actor, 'see')
  const start = await maybeOne<{ title: string; occurrence: string | null }>(
    null,
    'SELECT j.title, r.occurrence FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.id = $1',
    [id],
  )
  if (!start) throw notFound('run', id)
  const rows = await many<Row>(
    null,
    `SELECT x.id, coalesce(rb.name || ' on ', '') || coalesce(a.name, '') AS machine, x.state, x.ended_at IS NOT NULL AS "isOver",
            (SELECT t.id FROM attempts t WHERE t.run_id = x.id AND t.number = x.attempts) AS attempt
       FROM (${SAME_START}) i JOIN runs x ON x.id = i.id
       LEFT JOIN agents a ON a.id = coalesce(x.agent_id, x.for_agent_id) LEFT JOIN robots rb ON rb.id = x.robot_id
      ORDER BY machine, x.id LIMIT $2`,
    [id, MOST_MACHINES],
  )
  const mask = maskOf(counted)
  let room = MOST_LINES
  const read: (Row & { readonly hash: string; readonly lines: number })[] = []
  const leftOut: Row[] = []
  /** Of each different output the lines, once: many machines mostly write the same. */
  const texts = new Map<string, Text>()
  for (const row of rows) {
    const plain = row.isOver && row.attempt !== null ? await outputLines(actor, row.id, row.attempt, room) : null
    if (plain === null || plain.length > room) {
      leftOut.push(row)
      continue
    }
    room -= plain.length
    const masked = plain.map(mask)
    const hash = createHash('sha256').update(masked.join('\n')).digest('base64')
    if (!texts.has(hash)) texts.set(hash, { plain, masked })
    read.push({ ...row, hash, lines: plain.length })
  }
  const groups = groupsOf(read, ({ hash }) => hash)
  const usual = texts.get(groups.at(-1)?.key ?? '')
  return {
    ...start,
    groups: groups.map(({ key, all }) => ({
      runs: all.map(bare),
      lines: all[0]?.lines ?? 0,
      ...(usual ? differing(usual, texts.get(key) ?? usual) : { differs: [], more: 0 }),
    })),
    leftOut: leftOut.map(bare),
  }
}

const bare = ({ id, machine, state }: MachineRun): MachineRun => ({ id, machine, state })

interface Text {
  readonly plain: readonly string[]
  readonly masked: readonly string[]
}

function differing(usual: Text, other: Text): Pick<MachineGroup, 'differs' | 'more'> {
  const all = compareLines(usual.masked, other.masked).flatMap(({ same, a, b }) =>
    same
      ? []
      : [
          ...usual.plain.slice(...a).map((text) => ({ sign: '-' as const, text })),
          ...other.plain.slice(...b).map((text) => ({ sign: '+' as const, text })),
        ],
  )
  return { differs: all.slice(0, MOST_TOLD), more: Math.max(0, all.length - MOST_TOLD) }
}
